// What can be typed in a filter of the log: facts, what a record says beside them, and the words to compare with.
import { api } from '../../lib/api/client';
import type { FactView } from '../../lib/api/types';
import type { Word, Words } from '../../lib/state/completing.svelte';

let loaded: Promise<FactView[]> | undefined;

const load = async () => {
  const [language, facts] = await Promise.all([api.language(), api.facts()]);
  return [...language.record, ...facts.items];
};

export const filterWords: Words = {
  async next(before: string): Promise<Word[]> {
    const facts = await (loaded ??= load());
    const compared = /([\w.]+)\s+(is(\s+not)?(\s+one\s+of\s*\[[^\]]*)?|has(\s+(any|all|none)\s+of\s*\[[^\]]*)?)\s*$/.exec(before)?.[1];
    const fact = facts.find((found) => found.name === compared);
    if (fact) return fact.words.map((word) => ({ word, says: '' }));
    return facts.map(({ name, doc }) => ({ word: name, says: doc }));
  },
};
