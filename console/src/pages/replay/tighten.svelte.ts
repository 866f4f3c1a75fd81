// A tightening curve: which limits there are, the choices of one tried on the log, and the one that is picked.
import { api, Failure } from '../../lib/api/client';
import { limits } from '../../lib/api/limits';
import type { Choice, Job, Limit, LimitList, Problem, Tightening, TighteningRequest } from '../../lib/api/types';
import { ended, follow } from '../../lib/state/job';

export class Tightened {
  list = $state.raw<LimitList | null>(null);
  job = $state.raw<Job | null>(null);
  result = $state.raw<Tightening | null>(null);
  problem = $state.raw<Problem | null>(null);
  picked = $state('');
  // From the moment that it is asked for: a button must not be there to be pressed in vain.
  private starting = $state(false);
  private turn = 0;

  constructor(readonly draft: string) {}

  get busy(): boolean {
    return this.starting || (this.job !== null && !ended(this.job));
  }

  get choice(): Choice | undefined {
    return this.result?.choices.find((each) => each.value === this.picked);
  }

  /** Those that the draft changes come first. */
  get ordered(): Limit[] {
    const changed = new Set(this.list?.changed ?? []);
    return (this.list?.items ?? []).toSorted((a, b) => Number(changed.has(b.address)) - Number(changed.has(a.address)));
  }

  private async asking(work: () => Promise<void>): Promise<boolean> {
    try {
      this.problem = null;
      await work();
      return true;
    } catch (error) {
      if (!(error instanceof Failure)) throw error;
      [this.problem, this.job] = [error.problem, null];
      return false;
    }
  }

  read = (): Promise<boolean> => this.asking(async () => void (this.list = await limits.of({ draft: this.draft })));

  start(request: Omit<TighteningRequest, 'under'>): Promise<boolean> {
    const turn = ++this.turn;
    return this.asking(async () => {
      await this.cancel();
      this.starting = true;
      [this.result, this.picked] = [null, ''];
      const begun = await limits.start({ under: { draft: this.draft }, ...request }).finally(() => (this.starting = false));
      if (turn !== this.turn) return void (await limits.cancel(begun.id));
      const job = await follow(begun, (each) => (this.job = each), () => turn === this.turn);
      if (job?.state === 'failed') this.problem = job.problem ?? null;
      if (job?.state !== 'done') return;
      this.result = await limits.result(job.id);
      this.picked = this.result.choices.find((each) => each.current)?.value ?? '';
    });
  }

  async cancel(): Promise<void> {
    if (this.job && !ended(this.job)) await limits.cancel(this.job.id);
  }

  /** Put what is picked into the draft, or into a new one; returns the draft's name. */
  async put(): Promise<string | null> {
    const { result, picked } = this;
    if (!result || !picked) return null;
    let name = this.draft;
    const good = await this.asking(async () => {
      let version = result.version ?? 0;
      if (!name) {
        name = nameOf(result.limit, picked);
        version = (await api.beginDraft(name)).info.version;
      }
      await limits.move(name, version, result.limit.address, picked);
    });
    return good ? name : null;
  }

  /** Nobody looks at it any more. */
  leave(): void {
    this.turn++;
  }
}

/** A name for a draft that moves a limit: of its object and the value. */
export function nameOf(limit: Limit, value: string): string {
  const id = limit.path.split('.').slice(1).join('-');
  return `${id}-${value}`.toLowerCase().replace(/[^a-z0-9]+/g, '-').replace(/^-|-$/g, '').slice(0, 60);
}
