// What is offered while somebody types, and what a key does to it.
import { describe, expect, test } from 'vitest';
import { Completing, type Word } from '../src/lib/state/completing.svelte';

const words = (...found: string[]): Word[] => found.map((word) => ({ word, says: '' }));
const source = (...found: string[]) => new Completing({ next: () => words(...found) });
const key = (name: string) => {
  const done: string[] = [];
  const event = { key: name, preventDefault: () => done.push('kept'), stopPropagation: () => done.push('stopped') };
  return { event: event as unknown as KeyboardEvent, done };
};

test.each([
  ['', 0, ''],
  ['person.gr', 9, 'person.gr'],
  ['person.groups has cr', 20, 'cr'],
  ['not (device.ow', 14, 'device.ow'],
  ['a b', 1, 'a'],
])('of “%s” at %i the word is “%s”', (text, at, typed) => {
  expect(source().word(text, at).typed).toBe(typed);
});

test('words that begin so come before those that hold it, and what is there already is not offered', async () => {
  const list = source('device.owner', 'owner', 'own', 'app.id');
  await list.suggest('own', 3);
  expect(list.words.map(({ word }) => word)).toEqual(['owner', 'device.owner']);
});

test('a long list is offered only when something is typed or it is asked for', async () => {
  const list = source(...Array.from({ length: 30 }, (_, i) => `fact-${i}`));
  await list.suggest('', 0);
  expect(list.open).toBe(false);
  await list.suggest('', 0, true);
  expect(list.words).toHaveLength(12);
});

test('a chosen word takes the place of what was typed, and typing goes on behind it', () => {
  expect(source().picked('not dev and x', 7, 'device.managed')).toEqual({ text: 'not device.managed and x', at: 19 });
});

describe('keys', () => {
  test.each([
    ['ArrowDown', 'b'],
    ['ArrowUp', 'c'],
  ])('%s goes round to %s', async (name, chosen) => {
    const list = source('a', 'b', 'c');
    await list.suggest('', 0);
    const { event, done } = key(name);
    expect(list.key(event, () => undefined)).toBe(true);
    expect([list.chosen, done]).toEqual([chosen, ['kept']]);
  });

  test('Enter picks, Escape closes and goes no further, other keys are for the text', async () => {
    const list = source('a');
    await list.suggest('', 0);
    const picked: string[] = [];
    expect(list.key(key('x').event, () => undefined)).toBe(false);
    expect(list.key(key('Tab').event, () => undefined)).toBe(false);
    expect(list.key(key('Enter').event, (word) => picked.push(word))).toBe(true);
    expect(picked).toEqual(['a']);
    const { event, done } = key('Escape');
    expect(list.key(event, () => undefined)).toBe(true);
    expect([list.open, done]).toEqual([false, ['stopped']]);
    expect(list.key(key('Escape').event, () => undefined)).toBe(false);
  });
});
