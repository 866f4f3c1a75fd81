// The only module that fetches. Every error becomes a Failure with what happened and what to do.
import type {
  AcceptanceList,
  CauseList,
  FactList,
  Page,
  PolicyView,
  Problem,
  RehearseRequest,
  Rehearsal,
  RulebookView,
  SessionInfo,
  SessionList,
  SigninPage,
  SigninTrace,
  StarterCodeList,
  StarterCodeMade,
  TokenList,
  TokenMade,
  TokenRequest,
} from './types';

export class Failure extends Error {
  constructor(readonly problem: Problem) {
    super(problem.title);
  }
}

let csrf = '';

async function call<T>(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<T> {
  return (await send(method, path, body, signal)).json() as T;
}

async function send(method: string, path: string, body?: unknown, signal?: AbortSignal, seen?: string): Promise<Response> {
  const headers: Record<string, string> = { Accept: 'application/json' };
  if (seen) headers['If-None-Match'] = seen;
  if (body !== undefined) headers['Content-Type'] = 'application/json';
  if (method !== 'GET' && csrf) headers['X-Caddrel-CSRF'] = csrf;
  let response: Response;
  try {
    response = await fetch(path, {
      method,
      headers,
      signal,
      credentials: 'same-origin',
      body: body === undefined ? undefined : JSON.stringify(body),
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

function query(params: Record<string, string | number | null | undefined>): string {
  const wanted = new URLSearchParams();
  for (const [name, value] of Object.entries(params)) if (value) wanted.set(name, String(value));
  const text = wanted.toString();
  return text ? `?${text}` : '';
}

async function keepCsrf(session: Promise<SessionInfo>): Promise<SessionInfo> {
  const info = await session;
  csrf = info.csrf;
  return info;
}

export const api = {
  session: () => keepCsrf(call<SessionInfo>('GET', '/api/v1/session')),
  signIn: (name: string, password: string) =>
    keepCsrf(call<SessionInfo>('POST', '/api/v1/session', { name, password })),
  enter: (code: string) => keepCsrf(call<SessionInfo>('POST', '/api/v1/session', { code })),
  signOut: () => call('DELETE', '/api/v1/session'),
  rulebook: (revision?: string) => call<RulebookView>('GET', `/api/v1/rulebook/view${query({ revision })}`),
  policy: (id: string, revision?: string) =>
    call<PolicyView>('GET', `/api/v1/rulebook/policies/${encodeURIComponent(id)}${query({ revision })}`),
  facts: () => call<FactList>('GET', '/api/v1/facts'),
  rehearse: (request: RehearseRequest, signal?: AbortSignal) =>
    call<Rehearsal>('POST', '/api/v1/rehearse', request, signal),
  signins: (params: Record<string, string>, signal?: AbortSignal) =>
    call<SigninPage>('GET', `/api/v1/signins${query(params)}`, undefined, signal),
  /** The newest sign-ins, null while nothing is new since `seen`; with what to say next time. */
  newest: async (params: Record<string, string>, seen: string): Promise<{ page: SigninPage | null; seen: string }> => {
    const answer = await send('GET', `/api/v1/signins${query(params)}`, undefined, undefined, seen);
    const page = answer.status === 304 ? null : ((await answer.json()) as SigninPage);
    return { page, seen: answer.headers.get('ETag') ?? '' };
  },
  causes: (params: Record<string, string>, signal?: AbortSignal) =>
    call<CauseList>('GET', `/api/v1/causes${query(params)}`, undefined, signal),
  trace: (id: string) => call<SigninTrace>('GET', `/api/v1/signins/${encodeURIComponent(id)}/trace`),
  sessions: (signal?: AbortSignal) => call<SessionList>('GET', '/api/v1/sessions', undefined, signal),
  endSession: (id: string) => call<SessionList>('DELETE', `/api/v1/sessions/${encodeURIComponent(id)}`),
  tokens: (signal?: AbortSignal) => call<TokenList>('GET', '/api/v1/tokens', undefined, signal),
  makeToken: (request: TokenRequest) => call<TokenMade>('POST', '/api/v1/tokens', request),
  revokeToken: (id: string) => call<TokenList>('DELETE', `/api/v1/tokens/${encodeURIComponent(id)}`),
  starterCodes: (signal?: AbortSignal) => call<StarterCodeList>('GET', '/api/v1/starter-codes', undefined, signal),
  issueStarterCode: (person: string, starts: string, lasts: string) =>
    call<StarterCodeMade>('POST', '/api/v1/starter-codes', { person, starts, lasts }),
  acceptances: (params: Record<string, string>, signal?: AbortSignal) =>
    call<AcceptanceList>('GET', `/api/v1/acceptances${query(params)}`, undefined, signal),
  things: (noun: string, search: string, signal?: AbortSignal) =>
    call<Page>('GET', `/api/v1/${noun}${query({ search, limit: 12 })}`, undefined, signal),
};
