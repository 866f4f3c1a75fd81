// The address that rehearses a logged attempt: what was reported then; the inventory adds what it knows now.
import type { SigninTrace } from '../../lib/api/types';
import { typed } from '../../lib/format';

export function rehearsalOf(trace: SigninTrace): string {
  const given = new URLSearchParams();
  for (const [name, fact] of Object.entries(trace.trace.facts)) {
    if (fact.origin !== 'reported' || name === 'auth.credentials') continue;
    const text = typed(fact.value);
    if (text) given.set(name, text);
  }
  return `#/rehearse?${given.toString()}`;
}
