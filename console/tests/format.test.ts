import { expect, test } from 'vitest';
import { idFor } from '../src/lib/format';

test.each([
  ['Second factor for the office', 'second-factor-for-the-office'],
  ['  Crew — only on board!  ', 'crew-only-on-board'],
  ['Føroyar & Málaga, Åse og Ærø', 'foroyar-malaga-ase-og-aero'],
  ['24 hours', 'hours'],
  ['2026', ''],
  ['', ''],
  ['<b>', 'b'],
  ['kept-as-it-is', 'kept-as-it-is'],
  ['a'.repeat(200), 'a'.repeat(60)],
  [`${'a'.repeat(59)} b`, 'a'.repeat(59)],
])('the id of %j is %j', (title, id) => {
  expect(idFor(title)).toBe(id);
});

test('an id is what follows from itself', () => {
  for (const title of ['Ünusual — words', 'x'.repeat(61), '9 lives of 9 cats']) expect(idFor(idFor(title))).toBe(idFor(title));
});
