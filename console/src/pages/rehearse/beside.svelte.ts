// The state of two rehearsals side by side: the facts of either, kept in the address, and what differs.
import { api } from '../../lib/api/client';
import type { Beside, FactList } from '../../lib/api/types';
import { Load } from '../../lib/state/load.svelte';

export type Side = 'left' | 'right';

export class Besides {
  facts = new Load<FactList>();
  answer = new Load<Beside>();
  given = $state<Record<Side, Record<string, string>>>({ left: {}, right: {} });
  /** The facts that have a box: who and what, what is given on either side, what it turns on, and those asked for. */
  shown = $state<string[]>([]);
  private timer: ReturnType<typeof setTimeout> | undefined;

  constructor(querystring: string) {
    const sides = new URLSearchParams(querystring);
    for (const side of ['left', 'right'] as const) this.given[side] = Object.fromEntries(new URLSearchParams(sides.get(side) ?? ''));
    this.showGiven(['person.id', 'app.id', 'device.id']);
    void this.facts.run(async () => await api.facts(this.given.left.draft ?? ''));
    this.ask();
  }

  setMany(side: Side, values: Record<string, string>): void {
    this.given[side] = Object.fromEntries(Object.entries({ ...this.given[side], ...values }).filter(([, value]) => value));
    this.showGiven();
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.ask(), 180);
  }

  show(fact: string): void {
    if (!this.shown.includes(fact)) this.shown = [...this.shown, fact];
  }

  ask(): void {
    const [left, right] = (['left', 'right'] as const).map((side) => {
      const { draft = '', revision = '', ...given } = $state.snapshot(this.given[side]);
      return { given, draft, ...(revision ? { revision: Number(revision) } : {}) };
    });
    if (left && right) void this.answer.run((signal) => api.beside({ left, right }, signal));
  }

  side(side: Side): string {
    return new URLSearchParams(this.given[side]).toString();
  }

  get querystring(): string {
    return new URLSearchParams({ left: this.side('left'), right: this.side('right') }).toString();
  }

  private showGiven(first: string[] = []): void {
    for (const name of [...first, ...Object.keys(this.given.left), ...Object.keys(this.given.right)]) if (!['draft', 'revision'].includes(name)) this.show(name);
  }
}
