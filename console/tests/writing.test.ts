// A draft while it is written: saves come one after the other, changes are undone, what is refused is kept.
import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import { Writing } from '../src/pages/drafts/writing.svelte';

interface Asked {
  method: string;
  path: string;
  body: { path?: string; text?: string | null; id?: string; value?: unknown };
  version: string | null;
}
let asked: Asked[];
let version: number;
let refuse: { status: number; code: string } | null;
let objects: Record<string, string>;

const info = () => ({ name: 'd', version, changed: 0 });
const whole = () => ({ info: info(), files: [], objects: Object.entries(objects).map(([path, text]) => ({ path, text, changed: false, before: text })) });

/** A service of one draft: as much of it as a draft being written asks for. */
function service(path: string, request: RequestInit): Response {
  const body = (request.body ? JSON.parse(String(request.body)) : {}) as Asked['body'];
  asked.push({ method: request.method ?? 'GET', path, body, version: new Headers(request.headers).get('If-Match') });
  const answer = (status: number, found: unknown) => new Response(JSON.stringify(found), { status, headers: { 'Content-Type': 'application/json' } });
  if (path.includes('/objects') && request.method === 'POST') {
    if (refuse) return answer(refuse.status, { title: refuse.code, ...refuse });
    version++;
    const name = body.path ?? '';
    if (body.text === null) delete objects[name];
    else objects[name] = body.text ?? JSON.stringify(body.value);
    return answer(200, { info: info(), path: name, text: objects[name] ?? null, value: null });
  }
  return answer(200, path.endsWith('/check') ? { ok: false, diagnostics: [] } : whole());
}

let count = 0;
async function begun(): Promise<Writing> {
  const writing = Writing.of(`draft-${count++}`);
  await writing.read();
  return writing;
}

beforeEach(() => {
  vi.useFakeTimers();
  [asked, version, refuse, objects] = [[], 1, null, { 'policies.a': 'a: 1\n', 'policies.b': 'b: 1\n', settings: 'settings: {}\n' }];
  vi.stubGlobal('fetch', (path: string, request: RequestInit = {}) => Promise.resolve(service(path, request)));
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

const puts = () => asked.filter(({ path }) => path.endsWith('/objects'));

test('ids are those of a section that are there', async () => {
  expect((await begun()).ids('policies')).toEqual(['a', 'b']);
});

test('saves that are asked for at once go one after the other, each on what the one before made', async () => {
  const writing = await begun();
  await Promise.all([writing.put('policies.a', 'a: 2\n'), writing.put('policies.b', 'b: 2\n'), writing.put('policies.a', 'a: 3\n')]);
  expect(puts().map(({ version }) => version?.replace(/\D/g, ''))).toEqual(['1', '2', '3']);
  expect([writing.text('policies.a'), writing.text('policies.b'), writing.saving]).toEqual(['a: 3\n', 'b: 2\n', false]);
});

test('what is typed in one go is undone in one go, and done again', async () => {
  const writing = await begun();
  for (const n of [2, 3, 4]) await writing.put('policies.a', `a: ${n}\n`);
  expect(writing.done).toHaveLength(1);
  vi.advanceTimersByTime(5000);
  await writing.put('policies.a', 'a: 5\n');
  expect(writing.done).toHaveLength(2);
  expect(await writing.step(true)).toBe('policies.a');
  expect(writing.text('policies.a')).toBe('a: 4\n');
  await writing.step(true);
  expect(writing.text('policies.a')).toBe('a: 1\n');
  await writing.step(false);
  await writing.step(false);
  expect([writing.text('policies.a'), await writing.step(false)]).toEqual(['a: 5\n', null]);
});

test('an object that was taken out comes back', async () => {
  const writing = await begun();
  await writing.put('policies.b', null);
  expect(writing.ids('policies')).toEqual(['a']);
  expect(await writing.step(true)).toBe('policies.b');
  expect(writing.ids('policies')).toEqual(['a', 'b']);
});

test('a save that is refused changes nothing, is told, and the next one can be made', async () => {
  const writing = await begun();
  refuse = { status: 412, code: 'draft-changed' };
  expect(await writing.put('policies.a', 'a: 9\n')).toBeNull();
  expect([writing.text('policies.a'), writing.refused?.code, writing.done.length, writing.saving]).toEqual(['a: 1\n', 'draft-changed', 0, false]);
  refuse = null;
  expect(await writing.put('policies.a', 'a: 9\n')).not.toBeNull();
  expect([writing.text('policies.a'), writing.refused]).toEqual(['a: 9\n', null]);
});
