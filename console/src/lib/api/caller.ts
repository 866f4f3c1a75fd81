// How the console asks the service: the only module that fetches. Every error becomes a Failure that says what to do.
import type { Problem, SessionInfo } from './types';

export class Failure extends Error {
  constructor(readonly problem: Problem) {
    super(problem.title);
  }
}

let csrf = '';

export async function call<T>(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<T> {
  return (await send(method, path, body, signal)).json() as T;
}

/** Asks whoever is there for a fresh proof of who they are; tells whether one was given. Set by the page. */
export const proving: { ask: (() => Promise<boolean>) | null } = { ask: null };

export async function send(method: string, path: string, body?: unknown, signal?: AbortSignal, more?: Record<string, string>): Promise<Response> {
  try {
    return await sendWhenThereIsRoom(method, path, body, signal, more);
  } catch (error) {
    if (!(error instanceof Failure) || error.problem.code !== 'prove-again' || !proving.ask) throw error;
    if (!(await proving.ask())) throw error;
    return sendOnce(method, path, body, signal, more);
  }
}

/** Milliseconds after which work for which there was no room is asked for again. */
const AGAIN = [250, 500, 1000, 2000, 4000, 4000, 4000, 4000, 4000, 4000];

/** What a page asked for and left goes on in the service for a while: what it asks for next waits for that. Nothing was done yet. */
async function sendWhenThereIsRoom(method: string, path: string, body?: unknown, signal?: AbortSignal, more?: Record<string, string>): Promise<Response> {
  for (const wait of AGAIN) {
    try {
      return await sendOnce(method, path, body, signal, more);
    } catch (error) {
      if (!(error instanceof Failure) || error.problem.code !== 'too-many-at-once') throw error;
    }
    await new Promise((done) => setTimeout(done, wait));
    signal?.throwIfAborted();
  }
  return sendOnce(method, path, body, signal, more);
}

async function sendOnce(method: string, path: string, body?: unknown, signal?: AbortSignal, more?: Record<string, string>): Promise<Response> {
  const headers: Record<string, string> = { Accept: 'application/json', ...more };
  if (body !== undefined && !(body instanceof Blob)) headers['Content-Type'] = 'application/json';
  if (method !== 'GET' && csrf) headers['X-Caddrel-CSRF'] = csrf;
  let response: Response;
  try {
    response = await fetch(path, {
      method,
      headers,
      signal,
      credentials: 'same-origin',
      body: body === undefined || body instanceof Blob ? body : JSON.stringify(body),
    });
  } catch (error) {
    if (error instanceof DOMException && error.name === 'AbortError') throw error;
    throw new Failure({
      title: 'The service does not answer.',
      status: 0,
      code: 'unreachable',
      hint: 'Nothing was lost. Check that it is running, then try again.',
    });
  }
  if (!response.ok && response.status !== 304) {
    const problem = (await response.json().catch(() => null)) as Problem | null;
    throw new Failure(
      problem ?? { title: `The answer was ${response.status} without a reason.`, status: response.status, code: 'http-error' },
    );
  }
  return response;
}

/** Keeps what proves that a change comes from this page. */
export async function keepCsrf(session: Promise<SessionInfo>): Promise<SessionInfo> {
  const info = await session;
  csrf = info.csrf;
  return info;
}

/** A change to a draft, refused when somebody has saved another version in between. */
export async function changed<T>(path: string, version: number, body: unknown): Promise<T> {
  return (await send('POST', path, body, undefined, { 'If-Match': `"${version}"` })).json() as T;
}
