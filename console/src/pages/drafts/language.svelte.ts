// What can be written in a draft: its facts, comparisons, requirements and parts.
import { api } from '../../lib/api/client';
import type { FactView, LanguageView } from '../../lib/api/types';
import type { Word, Words } from '../../lib/state/completing.svelte';
import type { Writing } from './writing.svelte';

const GROUPS = ['person', 'app', 'device', 'network', 'client', 'auth'];

export class Language implements Words {
  facts = $state<FactView[]>([]);
  view = $state<LanguageView | null>(null);

  constructor(readonly writing: Writing) {
    void this.load();
  }

  async load(): Promise<void> {
    const [facts, view] = await Promise.all([api.facts(this.writing.name), api.language()]);
    this.facts = facts.items;
    this.view = view;
  }

  /** Tests of parts, by their kind. */
  get tests() {
    return this.view?.tests ?? {};
  }

  /** The words of a list that has a name, or those given. */
  choices(options: string | string[] | undefined): string[] {
    return typeof options === 'string' ? (this.view?.choices[options] ?? []) : (options ?? []);
  }

  fact(name: string): FactView | undefined {
    return this.facts.find((fact) => fact.name === name);
  }

  /** The facts in groups, for a list to choose from. */
  groups(only = ''): [string, FactView[]][] {
    const fits = this.facts.filter((fact) => fact.name.startsWith(only));
    const of = (fact: FactView) => GROUPS.find((group) => fact.name.startsWith(`${group}.`)) ?? 'attempt';
    return [...GROUPS, 'attempt'].map((group): [string, FactView[]] => [group, fits.filter((fact) => of(fact) === group)]).filter(([, facts]) => facts.length);
  }

  operators(fact: string) {
    const type = this.fact(fact)?.type ?? 'text';
    return (this.view?.operators ?? []).filter((row) => row.types.includes(type));
  }

  /** What a fact can be compared with, as far as that can be listed. */
  values(fact: string): string[] {
    const found = this.fact(fact);
    const parts = this.view?.part_facts[fact];
    return parts ? this.writing.ids(parts) : (found?.words ?? []);
  }

  /** What can come next in a text; `before` is what stands before the word that is being typed. */
  next(before: string, kind: string): Word[] | null {
    const parts = (section: string) => this.writing.ids(section).map((word) => ({ word, says: section }));
    for (const { section, starts } of Object.values(this.tests))
      if (new RegExp(`(^|[\\s(])${starts}\\s+(any\\s+of\\s*\\[[^\\]]*)?$`).test(before)) return parts(section);
    for (const [item, section] of Object.entries(this.view?.named ?? {})) if (new RegExp(`(^|[\\s(])${item}\\s+$`).test(before)) return parts(section);
    if (kind === 'effect') {
      if (!before.trim()) return ['allow', 'block', 'abstain', 'require'].map((word) => ({ word, says: '' }));
      return /(require|and|or|\()\s*$/.test(before) ? (this.view?.items ?? []).map((word) => ({ word, says: 'requirement' })) : [];
    }
    const compared = /([\w.]+)\s+(is(\s+not)?(\s+one\s+of\s*\[[^\]]*)?|has(\s+(any|all|none)\s+of\s*\[[^\]]*)?)\s*$/.exec(before)?.[1];
    if (compared && this.fact(compared)) return this.values(compared).map((word) => ({ word, says: '' }));
    if (before.trim() && !/(and|or|not|surely|\()\s*$/.test(before)) return ['and', 'or', 'is', 'is not', 'has', 'within'].map((word) => ({ word, says: '' }));
    const tests = Object.values(this.tests).map(({ starts, says }) => ({ word: starts, says }));
    return [...this.facts.map(({ name, doc }) => ({ word: name, says: doc })), ...tests, { word: 'not', says: 'the opposite' }];
  }
}
