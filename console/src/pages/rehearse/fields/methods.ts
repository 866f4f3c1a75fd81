// Methods used in a session, as typed: `pwd:0s, otp:4h`; chosen by the factor that yields them.
import type { FactChoice } from '../../../lib/api/types';

export const AGES: [string, string][] = [
  ['0s', 'just now'],
  ['15m', '15 minutes ago'],
  ['1h', '1 hour ago'],
  ['4h', '4 hours ago'],
  ['12h', '12 hours ago'],
  ['1d', 'a day ago'],
  ['30d', '30 days ago'],
];

export function read(text: string): Map<string, string> {
  const parts = text.split(',').map((part) => part.trim()).filter(Boolean);
  return new Map(parts.map((part): [string, string] => [part.split(':')[0] ?? '', part.split(':')[1] ?? '']));
}

/** How long ago a factor was used: the age of its methods where all of them were, and at once; else empty. */
export function age(text: string, choice: FactChoice): string {
  const used = read(text);
  const ages = new Set(choice.id.split(',').map((method) => used.get(method)));
  return ages.size === 1 ? ([...ages][0] ?? '') : '';
}

/** The methods with those of a factor used so long ago; `ago` empty takes them out. */
export function using(text: string, choice: FactChoice, ago: string): string {
  const used = read(text);
  for (const method of choice.id.split(',')) {
    if (ago) used.set(method, ago);
    else used.delete(method);
  }
  return [...used].map(([method, each]) => (each ? `${method}:${each}` : method)).join(', ');
}
