// The state of a rehearsal: the facts as typed, kept in the address, and the answer as it changes.
import { api } from '../../lib/api/client';
import type { FactList, Rehearsal, Tree } from '../../lib/api/types';
import { Load } from '../../lib/state/load.svelte';

export const GROUPS: [string, string, (name: string) => boolean][] = [
  ['who', 'Who', (name) => name.startsWith('person.')],
  ['what', 'What', (name) => name.startsWith('app.') || name === 'operation' || name.startsWith('enrolling.')],
  ['where', 'Where', (name) => name.startsWith('network.')],
  ['device', 'On what', (name) => name.startsWith('device.') || name.startsWith('client.')],
  ['how', 'How and when', () => true],
];

/** An answer, and the facts that it is of: while another is awaited, these are not the facts that are given. */
type Answered = Rehearsal & { of: string };

export class Rehearsing {
  facts = new Load<FactList>();
  answer = new Load<Answered>();
  given = $state<Record<string, string>>({});
  /** The draft that is rehearsed; empty for the current revision. */
  readonly draft: string;
  /** An earlier revision that is rehearsed; empty for the current one. */
  readonly revision: string;
  /** The fact that somebody is about to give: its field stays where it is until they leave it. */
  held = $state('');
  private stand: string[] = [];
  private timer: ReturnType<typeof setTimeout> | undefined;

  constructor(querystring: string) {
    const { draft = '', revision = '', ...given } = Object.fromEntries(new URLSearchParams(querystring));
    this.given = given;
    [this.draft, this.revision] = [draft, revision];
    void this.facts.run(async () => await api.facts(draft));
    this.ask();
  }

  set(name: string, value: string): void {
    this.setMany({ [name]: value });
  }

  /** Gives several facts; those that are empty are left open. */
  setMany(values: Record<string, string>, wait = 180): void {
    this.given = Object.fromEntries(Object.entries({ ...this.given, ...values }).filter(([, value]) => value));
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.ask(), wait);
  }

  clear(): void {
    this.given = {};
    this.ask();
  }

  /** Whether anything is chosen: before that there is nothing to answer. */
  get begun(): boolean {
    return Object.keys(this.given).length > 0;
  }

  /** The facts that are shown first: who and what, what is given, and what it turns on. */
  get shown(): string[] {
    const matters = this.begun ? (this.answer.value?.cases.matters ?? []) : [];
    const wanted = new Set(['person.id', 'app.id', ...Object.keys(this.given), ...matters, ...(this.begun ? this.decided : [])]);
    // What is shown stays where it is: nothing may move under the hands of somebody who types.
    const kept = this.stand.filter((name) => wanted.has(name) || name === this.held);
    this.stand = [...kept, ...[...wanted].filter((name) => !kept.includes(name) && name !== this.held)];
    return this.stand;
  }

  /** The facts of the tests that decided it, as what is settled turns on them: another value may change it. */
  private get decided(): string[] {
    const answer = this.answer.value;
    if (!answer || answer.cases.matters.length) return [];
    const found: string[] = [];
    const read = (tree: Tree | null | undefined): void => {
      if (!tree) return;
      if (tree.fact) found.push(tree.fact);
      if (tree.standard) for (const check of answer.trace.standards[tree.standard]?.checks ?? []) read(check.must);
      for (const part of tree.parts ?? []) read(part);
    };
    const rules = new Set(answer.decision.deciding.map((each) => `${each.policy}/${each.rule}`));
    for (const policy of answer.trace.policies)
      for (const rule of policy.rules) if (rules.has(`${policy.policy}/${rule.rule}`)) read(rule.when);
    return found;
  }

  /** The value that a fact has now, and where it comes from. */
  known(name: string): string {
    const fact = this.begun ? this.answer.value?.trace.facts[name] : undefined;
    return fact && !(name in this.given) ? `${fact.shown}, ${fact.origin}` : '';
  }

  ask(): void {
    if (!this.begun) return;
    const given = $state.snapshot(this.given);
    void this.answer.run(async (signal) => ({
      ...(await api.rehearse({ given, draft: this.draft, ...(this.revision ? { revision: Number(this.revision) } : {}) }, signal)),
      of: JSON.stringify(given),
    }));
  }

  /** Whether the answer that is shown is of the facts that are given. */
  get upToDate(): boolean {
    return !this.answer.problem && this.answer.value?.of === JSON.stringify(this.given);
  }

  get querystring(): string {
    const under = { ...(this.draft ? { draft: this.draft } : {}), ...(this.revision ? { revision: this.revision } : {}) };
    return new URLSearchParams({ ...this.given, ...under }).toString();
  }

  /** What is wrong with a fact, from the last answer. */
  wrong(name: string): string {
    const found = this.answer.problem?.errors?.find((error) => error.path === name);
    return found ? [found.message.replace(/^`[^`]+`: /, ''), found.hint].filter(Boolean).join(' — ') : '';
  }
}
