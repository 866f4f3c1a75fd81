// What can be asked of the service, each under its name.
import type {
  AcceptRequest,
  AcceptanceList,
  AuditPage,
  AuditVerdict,
  Beside,
  BesideRequest,
  CauseList,
  CheckResult,
  Comparison,
  ConsoleSessionList,
  CoveredPage,
  DraftInfo,
  DraftList,
  Edit,
  FactList,
  FactorList,
  File as RulebookFile,
  FirstDevice,
  FirstDeviceRequest,
  LanguageRequest,
  LanguageView,
  Matrix,
  MatrixRequest,
  Moved,
  ObjectSaved,
  ObjectView,
  Page,
  PasskeyOptions,
  PatternList,
  PatternCovers,
  PatternRequest,
  PatternScope,
  PolicyView,
  PublishResult,
  Rehearsal,
  RehearsalList,
  RehearseRequest,
  RevisionList,
  RulebookView,
  SelectorList,
  FeedList,
  HeldChangeList,
  HeldDecided,
  HeldVerdict,
  SessionInfo,
  SessionList,
  ShadowReport,
  Side,
  SigninPage,
  SigninTrace,
  Standing,
  StarterCodeList,
  StarterCodeMade,
  StartList,
  TokenList,
  TokenMade,
  TokenRequest,
  TotpBegun,
  Understood,
  WholeDraft,
} from './types';
import { call, changed, keepCsrf, send } from './caller';

export { Failure, proving } from './caller';

/** Why something is published over a warning. */
export interface Over {
  accept_lockout_risk: string;
  accept_failing_rehearsals: string;
  accept_failing_guarantees?: string;
}

function query(params: Record<string, string | number | null | undefined>): string {
  const wanted = new URLSearchParams();
  for (const [name, value] of Object.entries(params)) if (value) wanted.set(name, String(value));
  const text = wanted.toString();
  return text ? `?${text}` : '';
}

const draftPath = (name: string) => `/api/v1/drafts/${encodeURIComponent(name)}`;

const objectPath = (name: string, path: string) => `${draftPath(name)}/objects/${encodeURIComponent(path)}`;

export const api = {
  session: () => keepCsrf(call<SessionInfo>('GET', '/api/v1/session')),
  signIn: (name: string, password: string) =>
    keepCsrf(call<SessionInfo>('POST', '/api/v1/session', { name, password })),
  enter: (code: string) => keepCsrf(call<SessionInfo>('POST', '/api/v1/session', { code })),
  signOut: () => call('DELETE', '/api/v1/session'),
  prove: (proof: { totp?: string; password?: string; passkey?: unknown }) =>
    keepCsrf(call<SessionInfo>('POST', '/api/v1/session/proof', proof)),
  changePassword: (current: string, password: string) => call('PUT', '/api/v1/session/password', { current, password }),
  factors: (signal?: AbortSignal) => call<FactorList>('GET', '/api/v1/session/factors', undefined, signal),
  beginTotp: () => call<TotpBegun>('POST', '/api/v1/session/factors/totp'),
  confirmTotp: (begun: string, code: string) => call<FactorList>('PUT', '/api/v1/session/factors/totp', { begun, code }),
  beginPasskey: () => call<PasskeyOptions>('POST', '/api/v1/session/factors/passkey'),
  keepPasskey: (credential: unknown, title: string) =>
    call<FactorList>('PUT', '/api/v1/session/factors/passkey', { credential, title }),
  askPasskey: () => call<PasskeyOptions>('POST', '/api/v1/session/passkey'),
  removeFactor: (id: string) => call<FactorList>('DELETE', `/api/v1/session/kept-factors/${encodeURIComponent(id)}`),
  consoleSessions: (signal?: AbortSignal) =>
    call<ConsoleSessionList>('GET', '/api/v1/console-sessions', undefined, signal),
  endConsoleSessions: (account: string) =>
    call<ConsoleSessionList>('DELETE', `/api/v1/accounts/${encodeURIComponent(account)}/sessions`),
  revokeStarterCode: (id: string) => call<StarterCodeList>('DELETE', `/api/v1/starter-codes/${encodeURIComponent(id)}`),
  rulebook: (revision?: string) => call<RulebookView>('GET', `/api/v1/rulebook/view${query({ revision })}`),
  policy: (id: string, revision?: string) =>
    call<PolicyView>('GET', `/api/v1/rulebook/policies/${encodeURIComponent(id)}${query({ revision })}`),
  facts: (draft?: string) => call<FactList>('GET', `/api/v1/facts${query({ draft })}`),
  rehearse: (request: RehearseRequest, signal?: AbortSignal) =>
    call<Rehearsal>('POST', '/api/v1/rehearse', request, signal),
  signins: (params: Record<string, string>, signal?: AbortSignal) =>
    call<SigninPage>('GET', `/api/v1/signins${query(params)}`, undefined, signal),
  /** The newest sign-ins, null while nothing is new since `seen`; with what to say next time. */
  newest: async (params: Record<string, string>, seen: string): Promise<{ page: SigninPage | null; seen: string }> => {
    const answer = await send('GET', `/api/v1/signins${query(params)}`, undefined, undefined, seen ? { 'If-None-Match': seen } : {});
    const page = answer.status === 304 ? null : ((await answer.json()) as SigninPage);
    return { page, seen: answer.headers.get('ETag') ?? '' };
  },
  causes: (params: Record<string, string>, signal?: AbortSignal) =>
    call<CauseList>('GET', `/api/v1/causes${query(params)}`, undefined, signal),
  trace: (id: string) => call<SigninTrace>('GET', `/api/v1/signins/${encodeURIComponent(id)}/trace`),
  revisions: (signal?: AbortSignal) => call<RevisionList>('GET', '/api/v1/rulebook/revisions', undefined, signal),
  compare: (before: Side, after: Side, signal?: AbortSignal) =>
    call<Comparison>('POST', '/api/v1/rulebook/compare', { before, after }, signal),
  restore: (number: number, why: string, accept_lockout_risk: string) =>
    call<PublishResult>('POST', '/api/v1/rulebook/restore', { number, why, accept_lockout_risk }),
  checkDraft: (draft: string, signal?: AbortSignal) => call<CheckResult>('POST', '/api/v1/rulebook/check', { draft }, signal),
  matrix: (request: MatrixRequest, signal?: AbortSignal) => call<Matrix>('POST', '/api/v1/rehearse/matrix', request, signal),
  beside: (request: BesideRequest, signal?: AbortSignal) => call<Beside>('POST', '/api/v1/rehearse/beside', request, signal),
  firstDevice: (request: FirstDeviceRequest, signal?: AbortSignal) => call<FirstDevice>('POST', '/api/v1/rehearse/first-device', request, signal),
  keptRehearsals: (draft: string, signal?: AbortSignal) =>
    call<RehearsalList>('GET', `/api/v1/rehearse/kept${draft ? `?draft=${encodeURIComponent(draft)}` : ''}`, undefined, signal),
  drafts: (signal?: AbortSignal) => call<DraftList>('GET', '/api/v1/drafts', undefined, signal),
  beginDraft: (name: string) => call<WholeDraft>('POST', '/api/v1/drafts', { name }),
  draft: (name: string, signal?: AbortSignal) => call<WholeDraft>('GET', draftPath(name), undefined, signal),
  putObject: (name: string, version: number, path: string, text: string | null) =>
    changed<ObjectSaved>(`${draftPath(name)}/objects`, version, { path, text }),
  patterns: (signal?: AbortSignal) => call<PatternList>('GET', '/api/v1/rulebook/patterns', undefined, signal),
  acceptFinding: (name: string, version: number, request: AcceptRequest) => changed<ObjectSaved>(`${draftPath(name)}/accepted`, version, request),
  patternCovers: (name: string, asked: PatternScope, signal?: AbortSignal) => call<PatternCovers>('POST', `${draftPath(name)}/patterns/covers`, asked, signal),
  addFromPattern: (name: string, version: number, request: PatternRequest) => changed<ObjectSaved>(`${draftPath(name)}/patterns`, version, request),
  putValue: (name: string, version: number, path: string, value: unknown, id = '') =>
    changed<ObjectSaved>(`${draftPath(name)}/objects`, version, { path, value, id }),
  look: (name: string, path: string, signal?: AbortSignal) =>
    call<ObjectView>('GET', objectPath(name, path), undefined, signal),
  covers: (name: string, path: string, side: string, after: string, signal?: AbortSignal) =>
    call<CoveredPage>('GET', `${objectPath(name, path)}/covers${query({ side, after })}`, undefined, signal),
  holds: (name: string, path: string, address: string, signal?: AbortSignal) =>
    call<Standing>('GET', `${objectPath(name, path)}/holds${query({ address })}`, undefined, signal),
  language: () => call<LanguageView>('GET', '/api/v1/language'),
  understand: (request: LanguageRequest, signal?: AbortSignal) =>
    call<Understood>('POST', '/api/v1/language', request, signal),
  selectors: (side: string, search: string, signal?: AbortSignal) =>
    call<SelectorList>('GET', `/api/v1/selectors${query({ side, search })}`, undefined, signal),
  planDraft: (seen: DraftInfo, at: string, why: string, over: Over) =>
    changed<DraftInfo>(`${draftPath(seen.name)}/plan`, seen.version, { at, why, digest: seen.digest, ...over }),
  unplanDraft: (name: string) => call<DraftInfo>('DELETE', `${draftPath(name)}/plan`),
  shadowDraft: (seen: DraftInfo, on: boolean) =>
    changed<DraftInfo>(`${draftPath(seen.name)}/shadow`, seen.version, { on, digest: seen.digest }),
  shadowReport: (name: string, signal?: AbortSignal) => call<ShadowReport>('GET', `${draftPath(name)}/shadow`, undefined, signal),
  edit: (edits: Edit[], why: string, accept_lockout_risk: string) =>
    call<PublishResult>('POST', '/api/v1/rulebook/edits', { edits, why, accept_lockout_risk }),
  moveDraft: (name: string, version: number, taking: Record<string, string>) =>
    changed<Moved>(`${draftPath(name)}/move`, version, { taking }),
  starts: (signal?: AbortSignal) => call<StartList>('GET', '/api/v1/rulebook/starts', undefined, signal),
  publish: (files: RulebookFile[], why: string) => call<PublishResult>('POST', '/api/v1/rulebook/publish', { files, why }),
  publishDraft: (seen: DraftInfo, why: string, over: Over) =>
    changed<PublishResult>(`${draftPath(seen.name)}/publish`, seen.version, { why, digest: seen.digest, ...over }),
  discardDraft: (name: string) => call<DraftList>('DELETE', draftPath(name)),
  recoverDraft: (name: string) => call<WholeDraft>('POST', `${draftPath(name)}/recover`),
  sessions: (signal?: AbortSignal) => call<SessionList>('GET', '/api/v1/sessions', undefined, signal),
  feeds: (signal?: AbortSignal) => call<FeedList>('GET', '/api/v1/feeds', undefined, signal),
  pauseFeed: (name: string, paused: boolean) => call<FeedList>('PATCH', `/api/v1/feeds/${encodeURIComponent(name)}`, { paused }),
  takeHeld: (name: string) => call<FeedList>('POST', `/api/v1/sources/${encodeURIComponent(name)}/held`, {}),
  removeFeed: (name: string) => call<FeedList>('DELETE', `/api/v1/feeds/${encodeURIComponent(name)}`),
  heldChanges: (signal?: AbortSignal) => call<HeldChangeList>('GET', '/api/v1/held-changes', undefined, signal),
  decideHeld: (number: number, verdict: HeldVerdict['verdict']) => call<HeldDecided>('POST', `/api/v1/held-changes/${number}`, { verdict }),
  endSession: (id: string) => call<SessionList>('DELETE', `/api/v1/sessions/${encodeURIComponent(id)}`),
  tokens: (signal?: AbortSignal) => call<TokenList>('GET', '/api/v1/tokens', undefined, signal),
  makeToken: (request: TokenRequest) => call<TokenMade>('POST', '/api/v1/tokens', request),
  revokeToken: (id: string) => call<TokenList>('DELETE', `/api/v1/tokens/${encodeURIComponent(id)}`),
  starterCodes: (signal?: AbortSignal) => call<StarterCodeList>('GET', '/api/v1/starter-codes', undefined, signal),
  issueStarterCode: (person: string, starts: string, lasts: string) =>
    call<StarterCodeMade>('POST', '/api/v1/starter-codes', { person, starts, lasts }),
  acceptances: (params: Record<string, string>, signal?: AbortSignal) =>
    call<AcceptanceList>('GET', `/api/v1/acceptances${query(params)}`, undefined, signal),
  audit: (params: Record<string, string>, signal?: AbortSignal) =>
    call<AuditPage>('GET', `/api/v1/audit${query(params)}`, undefined, signal),
  verifyAudit: () => call<AuditVerdict>('GET', '/api/v1/audit/verify'),
  devicesOf: (person: string, search: string, signal?: AbortSignal) =>
    call<Page>('GET', `/api/v1/devices${query({ person, search, limit: 12 })}`, undefined, signal),
  things: (noun: string, search: string, signal?: AbortSignal) =>
    call<Page>('GET', `/api/v1/${noun}${query({ search, limit: 12 })}`, undefined, signal),
};
