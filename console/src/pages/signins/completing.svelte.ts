// What can be typed next in a filter: facts by name, then the words of the fact that is being compared.
import { api } from '../../lib/api/client';
import type { FactView } from '../../lib/api/types';

export interface Word {
  word: string;
  says: string;
}

// What a record says beside its facts.
const RECORD: FactView[] = [
  { name: 'outcome', type: 'word', doc: 'What Caddrel decided.', words: ['allowed', 'challenged', 'blocked'], usual: [] },
  { name: 'reason', type: 'word', doc: 'Why it was blocked.', words: ['effect', 'closed', 'unmeetable'], usual: [] },
  { name: 'certain', type: 'flag', doc: 'Could missing facts not have changed it?', words: [], usual: [] },
  { name: 'policy', type: 'name', doc: 'The policy that decided.', words: [], usual: [] },
  { name: 'rule', type: 'name', doc: 'Its rule.', words: [], usual: [] },
  { name: 'recorded', type: 'name', doc: 'What the other system recorded.', words: [], usual: [] },
  { name: 'shadow', type: 'word', doc: 'With shadow policies enforced.', words: ['allowed', 'challenged', 'blocked'], usual: [] },
  { name: 'at', type: 'moment', doc: 'When it was.', words: [], usual: [] },
];
const MOST = 12;
let loaded: Promise<FactView[]> | undefined;

export class Completing {
  words = $state<Word[]>([]);
  at = $state(0);
  readonly open = $derived(this.words.length > 0);
  readonly chosen = $derived(this.words[this.at]?.word ?? '');

  word(text: string, at: number): { start: number; typed: string; before: string } {
    const typed = /[\w./:@+-]*$/.exec(text.slice(0, at))?.[0] ?? '';
    return { start: at - typed.length, typed, before: text.slice(0, at - typed.length) };
  }

  async suggest(text: string, at: number): Promise<void> {
    const facts = await (loaded ??= api.facts().then((list) => [...RECORD, ...list.items]));
    const { typed, before } = this.word(text, at);
    const compared = /([\w.]+)\s+(is(\s+not)?(\s+one\s+of\s*\[[^\]]*)?|has(\s+(any|all|none)\s+of\s*\[[^\]]*)?)\s*$/.exec(before)?.[1];
    const fact = facts.find((found) => found.name === compared);
    const from: Word[] = fact
      ? [...fact.words, ...fact.usual].map((word) => ({ word, says: '' }))
      : facts.map(({ name, doc }) => ({ word: name, says: doc }));
    const starts = from.filter(({ word }) => word.startsWith(typed) && word !== typed);
    const holds = from.filter(({ word }) => !word.startsWith(typed) && word.includes(typed));
    this.words = typed || fact ? [...starts, ...holds].slice(0, MOST) : [];
    this.at = 0;
  }

  move(by: number): void {
    this.at = (this.at + by + this.words.length) % this.words.length;
  }

  close(): void {
    this.words = [];
  }
}
