// One draft while it is being written: what was saved, what checking finds, and what differs from the current revision.
import { api, Failure } from '../../lib/api/client';
import type { CheckResult, Comparison, Problem, WholeDraft } from '../../lib/api/types';
import { Load } from '../../lib/state/load.svelte';

export class Writing {
  whole = $state<WholeDraft | null>(null);
  problem = $state<Problem | null>(null);
  refused = $state<Problem | null>(null);
  saving = $state(false);
  readonly check = new Load<CheckResult>();
  readonly differences = new Load<Comparison>();

  constructor(readonly name: string) {
    void this.load();
  }

  async load(): Promise<void> {
    this.problem = this.refused = null;
    try {
      this.whole = await api.draft(this.name);
      this.look();
    } catch (error) {
      if (!(error instanceof Failure)) throw error;
      this.problem = error.problem;
    }
  }

  /** Look anew at what checking finds and what differs. */
  look(): void {
    void this.check.run((signal) => api.checkDraft(this.name, signal)).then(() => {
      // What differs can be told only of what can be read.
      if (this.check.value?.ok) void this.differences.run((signal) => api.compare({}, { draft: this.name }, signal));
    });
  }

  /** Put an object, or with null take it out; tells whether it was saved. What was typed stays where it is otherwise. */
  async put(path: string, text: string | null): Promise<boolean> {
    if (!this.whole || this.saving) return false;
    this.saving = true;
    try {
      this.whole = await api.putObject(this.name, this.whole.info.version, path, text);
      this.refused = null;
      this.look();
      return true;
    } catch (error) {
      if (!(error instanceof Failure)) throw error;
      this.refused = error.problem;
      return false;
    } finally {
      this.saving = false;
    }
  }

  async attempt(ask: () => Promise<unknown>): Promise<boolean> {
    this.refused = null;
    try {
      await ask();
      return true;
    } catch (error) {
      if (!(error instanceof Failure)) throw error;
      this.refused = error.problem;
      return false;
    }
  }
}
