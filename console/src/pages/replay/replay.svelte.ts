// A replay of a draft: begun, followed while it goes on, and what it came to.
import { Failure } from '../../lib/api/client';
import { replays, type ReplayedSignin } from '../../lib/api/replays';
import type { Job, Problem, ReplayRequest, ReplayResult } from '../../lib/api/types';
import { ended, follow } from '../../lib/state/job';

export const MOST_LISTED = 50;

export class Replaying {
  job = $state.raw<Job | null>(null);
  result = $state.raw<ReplayResult | null>(null);
  changed = $state.raw<ReplayedSignin[]>([]);
  problem = $state.raw<Problem | null>(null);
  /** The job that the result is of. */
  of = $state('');
  /** Whether the draft has changed since it was replayed. */
  stale = $state(false);
  // From the moment that it is asked for: a button must not be there to be pressed in vain.
  private starting = $state(false);
  private turn = 0;

  get busy(): boolean {
    return this.starting || (this.job !== null && !ended(this.job));
  }

  /** The last replay of a draft that is kept; false when there is none. */
  async kept(draft: string): Promise<boolean> {
    const turn = ++this.turn;
    try {
      const found = await replays.ofDraft(draft);
      if (turn !== this.turn || !found.result) return Boolean(found.result);
      [this.result, this.stale, this.of] = [found.result, found.stale, found.job];
      this.changed = await replays.changed(found.job, MOST_LISTED);
      return true;
    } catch (error) {
      if (!(error instanceof Failure)) throw error;
      this.problem = error.problem;
      return false;
    }
  }

  async start(request: ReplayRequest): Promise<void> {
    const turn = ++this.turn;
    // What nobody waits for any more makes way.
    await this.cancel();
    this.starting = true;
    [this.problem, this.result, this.changed, this.stale] = [null, null, [], false];
    try {
      const begun = await replays.start(request).finally(() => (this.starting = false));
      if (turn !== this.turn) return void (await replays.cancel(begun.id));
      const job = await follow(begun, (each) => (this.job = each), () => turn === this.turn);
      if (job?.state === 'failed') this.problem = job.problem ?? null;
      if (job?.state !== 'done') return;
      [this.result, this.of] = [await replays.result(job.id), job.id];
      this.changed = await replays.changed(job.id, MOST_LISTED);
    } catch (error) {
      if (!(error instanceof Failure)) throw error;
      [this.problem, this.job] = [error.problem, null];
    }
  }

  async cancel(): Promise<void> {
    if (this.job && !ended(this.job)) await replays.cancel(this.job.id);
  }

  /** Nobody looks at it any more. */
  leave(): void {
    this.turn++;
  }
}
