// Loading and asking: the last good value stays, an answer that came too late is dropped, refusals are shown.
import { afterEach, expect, test, vi } from 'vitest';
import { api } from '../src/lib/api/client';
import { Act } from '../src/lib/state/act.svelte';
import { Load } from '../src/lib/state/load.svelte';

const answers = (status: number, body: unknown) =>
  vi.stubGlobal('fetch', () => Promise.resolve(new Response(JSON.stringify(body), { status, headers: { 'Content-Type': 'application/json' } })));
const refusal = { type: 'about:blank', title: 'no such draft', status: 404, code: 'not-found', hint: 'look again' };

afterEach(() => vi.unstubAllGlobals());

test('an answer that was overtaken counts for nothing', async () => {
  const load = new Load<string>();
  let first!: (value: string) => void;
  const slow = load.run(() => new Promise((done) => (first = done)));
  await load.run(() => Promise.resolve('second'));
  first('first');
  await slow;
  expect([load.value, load.busy]).toEqual(['second', false]);
});

test('what is asked anew ends what was asked before', async () => {
  const load = new Load<string>();
  let ended = false;
  const slow = load.run((signal) => new Promise((_, fail) => signal.addEventListener('abort', () => ((ended = true), fail(new DOMException('', 'AbortError'))))));
  await load.run(() => Promise.resolve('there'));
  await slow;
  expect([ended, load.value, load.problem]).toEqual([true, 'there', null]);
});

test('a refusal is told, and what was there before stays', async () => {
  const load = new Load<unknown>();
  await load.run(() => Promise.resolve(['kept']));
  answers(404, refusal);
  await load.run((signal) => api.sessions(signal));
  expect([load.value, load.problem?.code, load.problem?.hint]).toEqual([['kept'], 'not-found', 'look again']);
  answers(200, { items: [] });
  await load.run((signal) => api.sessions(signal));
  expect([load.value, load.problem]).toEqual([{ items: [] }, null]);
});

test('what somebody does is refused with the words of the service, until the next try', async () => {
  const act = new Act();
  answers(404, refusal);
  expect(await act.run(() => api.endSession('s'))).toBe(false);
  expect(act.refused?.title).toBe('no such draft');
  answers(200, {});
  expect(await act.run(() => api.endSession('s'))).toBe(true);
  expect(act.refused).toBeNull();
});

test('an error of our own is not taken for a refusal', async () => {
  await expect(new Act().run(() => Promise.reject(new TypeError('ours')))).rejects.toThrow('ours');
});

test('work for which there is no room is waited with, until nobody wants it any more', async () => {
  vi.useFakeTimers();
  let asked = 0;
  const busy = { title: 'you have 4 of these under way', status: 429, code: 'too-many-at-once' };
  vi.stubGlobal('fetch', () => Promise.resolve(++asked < 3 ? new Response(JSON.stringify(busy), { status: 429 }) : new Response('{"items": []}')));
  const load = new Load<unknown>();
  const done = load.run((signal) => api.sessions(signal));
  await vi.runAllTimersAsync();
  await done;
  expect([asked, load.value, load.problem]).toEqual([3, { items: [] }, null]);
  asked = -100;
  const left = load.run((signal) => api.sessions(signal));
  void load.run(() => Promise.resolve('another'));
  await vi.runAllTimersAsync();
  await left;
  expect([asked, load.value]).toEqual([-99, 'another']);
  asked = -100;
  const never = load.run((signal) => api.sessions(signal));
  await vi.runAllTimersAsync();
  await never;
  expect(load.problem?.code).toBe('too-many-at-once');
  vi.useRealTimers();
});
