// What is worked out without asking anybody: open hours, differences, filters in an address, how things are written.
import { describe, expect, test } from 'vitest';
import { count, duration, typed } from '../src/lib/format';
import { difference } from '../src/pages/drafts/diff';
import { readWeek, writeWeek } from '../src/pages/drafts/forms/week';
import { address, read } from '../src/pages/signins/filters';

describe('open hours', () => {
  test.each([
    [{}],
    [{ 'mon-fri': ['08:00-16:30'] }],
    [{ mon: ['00:00-24:00'], wed: ['08:00-12:00', '13:00-17:30'] }],
    [{ 'mon-sun': ['06:00-06:30'] }],
  ])('%j are the same when they are written again', (hours) => {
    expect(writeWeek(readWeek(hours)!)).toEqual(hours);
  });

  test('a window past midnight goes on in the next day, also from Sunday to Monday', () => {
    expect(writeWeek(readWeek({ sun: ['22:00-02:00'] })!)).toEqual({ mon: ['00:00-02:00'], sun: ['22:00-24:00'] });
  });

  test.each([[{ mon: ['08:15-09:00'] }], [{ someday: ['08:00-09:00'] }], [{ mon: '08:00-09:00' }]])('%j cannot be shown', (hours) => {
    expect(readWeek(hours)).toBeNull();
  });
});

test.each([
  ['', '', []],
  ['a\n', 'a\n', [['same', 'a']]],
  ['a\nb\n', 'a\nc\n', [['same', 'a'], ['gone', 'b'], ['new', 'c']]],
  ['', 'a\n', [['new', 'a']]],
  ['a\n', '', [['gone', 'a']]],
])('from %j to %j', (before, after, lines) => {
  expect(difference(before, after).map(({ kind, text }) => [kind, text])).toEqual(lines);
});

test('filters live in the address, and what is none is left out', () => {
  const filters = read('person=ines.faro&bogus=1&outcome=');
  expect(filters).toEqual({ person: 'ines.faro' });
  expect(address(filters, { where: 'outcome is blocked' })).toBe('/signins?person=ines.faro&where=outcome+is+blocked');
  expect(read(address(filters).split('?')[1])).toEqual(filters);
});

test.each([
  [1, '1 person'],
  [0, '0 people'],
  [1200, '1,200 people'],
])('%i people are %s', (number, text) => expect(count(number, 'person', 'people')).toBe(text));
test.each([
  [43200, '12h'],
  [86400, '1d'],
  [90, '90s'],
])('%i seconds are %s', (seconds, text) => expect(duration(seconds)).toBe(text));
test.each([
  [true, 'yes'],
  [['a', 'b'], 'a, b'],
  [{ pwd: null, otp: 60 }, 'pwd, otp:60s'],
])('%j is typed %s', (value, text) => expect(typed(value)).toBe(text));
