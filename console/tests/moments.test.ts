// The next weekday at a time in a zone, across changes of clocks; and proofs by the factor that was used.
import { describe, expect, it } from 'vitest';
import { age, using } from '../src/pages/rehearse/fields/methods';
import { next, offset, shownIn } from '../src/pages/rehearse/fields/moments';

const NOW = Date.parse('2026-11-25T10:00:00Z'); // A Wednesday.

describe('moments', () => {
  it.each([
    [6, '03:00', 'Europe/Oslo', '2026-11-29T03:00:00+01:00'],
    [2, '12:00', 'Europe/Oslo', '2026-11-25T12:00:00+01:00'],
    // What is past already is a week ahead.
    [2, '10:59', 'Europe/Oslo', '2026-12-02T10:59:00+01:00'],
    [2, '11:00', 'Europe/Oslo', '2026-12-02T11:00:00+01:00'],
    [0, '00:00', 'UTC', '2026-11-30T00:00:00Z'],
    [3, '05:30', 'Asia/Kolkata', '2026-11-26T05:30:00+05:30'],
    [2, '22:00', 'Pacific/Kiritimati', '2026-12-02T22:00:00+14:00'],
    [3, '22:00', 'Pacific/Kiritimati', '2026-11-26T22:00:00+14:00'],
    [2, '09:00', 'America/St_Johns', '2026-11-25T09:00:00-03:30'],
  ])('weekday %i at %s in %s', (day, time, zone, expected) => {
    expect(next(day, time, zone, NOW)).toBe(expected);
    expect(shownIn(zone, expected)).toEqual({ day: String(day), time });
  });

  it('takes the offset of the moment itself where the clocks change on the way', () => {
    const before = Date.parse('2026-10-23T10:00:00Z'); // Clocks in Oslo go back on Sunday the 25th.
    expect(next(6, '04:00', 'Europe/Oslo', before)).toBe('2026-10-25T04:00:00+01:00');
    expect(next(6, '01:00', 'Europe/Oslo', before)).toBe('2026-10-25T01:00:00+02:00');
    expect(offset('Europe/Oslo', before)).toBe(120);
  });

  it('shows nothing of what is no moment', () => {
    expect(shownIn('UTC', '')).toEqual({ day: '', time: '' });
    expect(shownIn('UTC', 'tomorrow')).toEqual({ day: '', time: '' });
  });
});

describe('proofs by factor', () => {
  const app = { id: 'otp', title: 'the authenticator app' };
  const passkey = { id: 'swk,pop', title: 'a passkey' };
  it.each([
    ['', app, '4h', 'otp:4h'],
    ['pwd', app, '0s', 'pwd, otp:0s'],
    ['pwd, otp:4h', app, '', 'pwd'],
    ['otp:1h', passkey, '15m', 'otp:1h, swk:15m, pop:15m'],
  ])('%j with %o used %j ago', (text, choice, ago, expected) => {
    expect(using(text, choice, ago)).toBe(expected);
    expect(age(expected, choice)).toBe(ago);
  });
  it('says nothing where the methods of a factor were used at different times', () => {
    expect(age('swk:1h, pop:2h', passkey)).toBe('');
    expect(age('swk:1h', passkey)).toBe('');
  });
});
