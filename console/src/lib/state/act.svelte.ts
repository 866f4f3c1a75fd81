// Something that somebody asks the service to do: what it refused is shown until the next try.
import { Failure } from '../api/client';
import type { Problem } from '../api/types';

export class Act {
  refused = $state<Problem | null>(null);

  /** Do it; whether it was done. */
  async run(work: () => Promise<unknown>): Promise<boolean> {
    this.refused = null;
    try {
      await work();
      return true;
    } catch (error) {
      if (!(error instanceof Failure)) throw error;
      this.refused = error.problem;
      return false;
    }
  }
}
