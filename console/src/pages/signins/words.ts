// What can be typed in a filter of the log: facts, what a record says beside them, and the words to compare with.
import { api } from '../../lib/api/client';
import type { FactView } from '../../lib/api/types';
import type { Word, Words } from '../../lib/state/completing.svelte';

const RECORD: FactView[] = [
  { name: 'outcome', type: 'word', doc: 'What Caddrel decided.', words: ['allowed', 'challenged', 'blocked'] },
  { name: 'reason', type: 'word', doc: 'Why it was blocked.', words: ['credentials', 'locked-out', 'effect', 'closed', 'unmeetable'] },
  { name: 'certain', type: 'flag', doc: 'Could missing facts not have changed it?', words: [] },
  { name: 'policy', type: 'name', doc: 'The policy that decided.', words: [] },
  { name: 'rule', type: 'name', doc: 'Its rule.', words: [] },
  { name: 'recorded', type: 'name', doc: 'What the other system recorded.', words: [] },
  { name: 'shadow', type: 'word', doc: 'With shadow policies enforced.', words: ['allowed', 'challenged', 'blocked'] },
  { name: 'at', type: 'moment', doc: 'When it was.', words: [] },
];
let loaded: Promise<FactView[]> | undefined;

export const filterWords: Words = {
  async next(before: string): Promise<Word[]> {
    const facts = await (loaded ??= api.facts().then((list) => [...RECORD, ...list.items]));
    const compared = /([\w.]+)\s+(is(\s+not)?(\s+one\s+of\s*\[[^\]]*)?|has(\s+(any|all|none)\s+of\s*\[[^\]]*)?)\s*$/.exec(before)?.[1];
    const fact = facts.find((found) => found.name === compared);
    if (fact) return fact.words.map((word) => ({ word, says: '' }));
    return facts.map(({ name, doc }) => ({ word: name, says: doc }));
  },
};
