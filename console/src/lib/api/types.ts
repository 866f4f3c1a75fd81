// Written by tools/console_types.py from the service's OpenAPI document; do not edit.

/** Of which person and which app of the inventory it is asked what policies have to do with them; one is enough. */
export interface AboutRequest {
  side?: Side;
  person?: string;
  app?: string;
}

/** The outcomes that are possible, each with an attempt, and each policy that is not off with its part in them. */
export interface AboutResult {
  outcomes: Example[];
  policies: PolicyPart[];
  whole: boolean;
}

/** A finding that stands: its code, the path of what it is about, why, and until which day (YYYY-MM-DD). */
export interface AcceptRequest {
  code: string;
  object: string;
  because: string;
  until?: string;
}

/** Who accepted which version of which notice, when, at which door, on the way into which sign-in. */
export interface AcceptanceInfo {
  person: string;
  notice: string;
  version: number;
  accepted: string;
  door: string;
  signin: string;
}

/** Acceptances in the order they came, how many there are, and where to go on. */
export interface AcceptanceList {
  items: AcceptanceInfo[];
  total: number;
  next: number | null;
}

/** A decision (section 6.2): true only for allowed. `context` says what the person is told and what would help. */
export interface AccessDecision {
  decision: boolean;
  context?: Record<string, unknown>;
}

/** The decisions of several evaluations (section 7.2), in their order. */
export interface AccessDecisions {
  evaluations: AccessDecision[];
}

/** Somebody who may sign in to the console; `plans` are drafts that are to be published by their word. */
export interface AccountInfo {
  name: string;
  role: string;
  has_password: boolean;
  factors?: string[];
  plans?: string[];
}

/** Every account. */
export interface AccountList {
  items: AccountInfo[];
}

/** An account to add or change; without a password it keeps the one it has. */
export interface AccountRequest {
  name: string;
  role: string;
  password?: string;
}

/** An action (section 5.3). */
export interface Action {
  name?: string;
  properties?: Record<string, unknown>;
}

/** Of which policy it is asked what it adds. */
export interface AddsRequest {
  policy: string;
  side?: Side;
}

/** Who can reach an app how: its column of the coverage grid. */
export interface AppCoverage {
  rows: AppRow[];
  password_alone: boolean;
  exact: boolean;
}

/** An app, and what sign-ins to it can meet, as in the coverage grid. */
export interface AppMet {
  app: string;
  title: string;
  cell: GridCell;
}

/** An app: its stance, and the policies that speak about it. */
export interface AppProfile {
  item: Item;
  labels: string[];
  stance: string;
  own_stance: boolean;
  policies: Speaks[];
  signins: SigninLine[];
}

/** An app, and what a plain sign-in of somebody to it comes to now. */
export interface AppReach {
  app: string;
  title: string;
  outcome: string;
  says: Piece[];
  deciding: RuleRef[];
}

/** An audience, and what its sign-ins to an app can meet, as in the coverage grid. */
export interface AppRow {
  audience: string;
  title: string;
  people: number;
  cell: GridCell;
}

/** Who did what to what, and how it went: ``done``, or the code of the refusal; `hash` seals it and the one before. */
export interface AuditEntry {
  seq: number;
  at: string;
  who: string;
  did: string;
  target: string;
  outcome: string;
  note: string;
  request_id: string;
  hash: string;
  address?: string;
  words?: Piece[];
}

/** Entries, newest first, and where to go on. */
export interface AuditPage {
  items: AuditEntry[];
  next: number | null;
}

/** Whether every entry is as it was written; `broken` is the first that is not, `how` says what is wrong. */
export interface AuditVerdict {
  whole: boolean;
  entries: number;
  broken: number | null;
  how?: string;
  log?: LogVerdict | null;
}

/** A fact, and the values that it is to have, as text. */
export interface AxisRequest {
  fact: string;
  values?: string[];
}

/** A rule that causes a change of outcome: one of the new side where that is stricter, else of the old. */
export interface Because {
  from: string;
  to: string;
  policy?: string;
  rule?: string;
  count?: number;
  people?: number;
}

/** Two rehearsals with what differs between them; facts and policies that differ come first. */
export interface Beside {
  left: Rehearsal;
  right: Rehearsal;
  same: boolean;
  facts: BesideFact[];
  policies: BesidePolicy[];
}

/** A fact and its value on both sides, as text; a value that is not given is the empty text. */
export interface BesideFact {
  fact: string;
  label: string;
  left: string;
  right: string;
  differs: boolean;
}

/** What a policy has to say on either side; empty where the rulebook of that side has no such policy. */
export interface BesidePolicy {
  policy: string;
  title: string;
  left: Piece[];
  right: Piece[];
  differs: boolean;
}

/** Two rehearsals to be shown side by side. */
export interface BesideRequest {
  left: RehearseRequest;
  right: RehearseRequest;
}

/** A blank of a pattern: what is asked, of what kind it is, and what stands there when nothing is said. */
export interface BlankView {
  name: string;
  asks: string;
  kind: string;
  otherwise: string;
  section?: string;
  words?: string[];
}

/** Lines that are broken alike: by code and fact, how many, and the first of them. */
export interface BrokenAlike {
  code: string;
  fact: string;
  count: number;
  lines: BrokenLine[];
}

/** A line that could not be taken in. */
export interface BrokenLine {
  line: number;
  code: string;
  message: string;
  hint?: string;
}

/** A candidate password to check. */
export interface CandidateRequest {
  person: string;
  candidate: string;
  app?: string;
  age?: number | null;
}

/** Whether a candidate passes every standard that applies, with each standard's failed rules. */
export interface CandidateResult {
  passes: boolean;
  standards: StandardResult[];
}

/** A node of the tree: a question with one branch for each answer, or a leaf with its outcome. */
export interface CaseNode {
  possible: string[];
  asks?: string;
  kind?: string;
  yes_words?: Piece[];
  no_words?: Piece[];
  yes?: CaseNode | null;
  no?: CaseNode | null;
  deciding?: RuleRef[];
  facts?: Record<string, unknown>;
  outstanding?: string[];
  in_the_way?: string[];
  tell?: Tell[];
}

/** What can come of it at the moment at which it is asked, whatever the other facts are that were left open. */
export interface CasesNow {
  at: string;
  sentence: Piece[];
  possible: string[];
  exact: boolean;
}

/** The causes of a window, the most frequent first, and how many sign-ins and people they are about. */
export interface CauseList {
  causes: CauseView[];
  count: number;
  people: number;
}

/** Blocks or challenges that have the same deciding policy, rule and facts. */
export interface CauseView {
  key: string;
  outcome: string;
  reason: string | null;
  policy: string | null;
  policy_title: string;
  rule: string | null;
  because: Piece[];
  count: number;
  people: number;
  devices: number;
  apps: number;
  first: string;
  last: string;
  first_ever: string;
  new: boolean;
  since: RevisionInfo;
  changed: Piece[];
  days: DayCount[];
  sample: SigninSummary[];
  help: Piece[][];
  change: Change | null;
}

/** What can come of one combination; `refused` says why no attempt can have it. */
export interface Cell {
  possible: string[];
  exact?: boolean;
  refused?: string;
}

/** What is behind a cell: the policies that speak there, and each outcome with a case. */
export interface CellDetail {
  audience: string;
  app: string;
  policies: string[];
  outcomes: CellOutcome[];
  exact: boolean;
}

/** One outcome of a cell. */
export interface CellOutcome {
  outcome: string;
  deciding: RuleRef[];
  facts: Record<string, unknown>;
  decided_here: RuleRef[];
  outstanding: string[];
  in_the_way: string[];
  tell: Tell[];
}

/** One cell of a grid, by its audience as a selector writes it and its app. */
export interface CellRequest {
  grid: GridRequest;
  audience: string;
  app: string;
}

/** A change of the document that would settle a finding; `value` is YAML, null takes out what is at `path`. */
export interface Change {
  path: string;
  value?: string | null;
}

/** Documents to check, or a draft. */
export interface CheckRequest {
  files?: File[];
  draft?: string;
}

/** What checking found; `ok` is false when there are errors, `more` tells of findings that are not listed. */
export interface CheckResult {
  ok: boolean;
  diagnostics: Diagnostic[];
  policies: number;
  rehearsals?: KeptRehearsal[];
  more?: number;
  cost?: CostView | null;
}

/** One check of a standard for a device as it is now. */
export interface CheckState {
  check: string;
  title: string;
  truth: string;
  fix: string;
}

/** One check of a device standard. */
export interface CheckTrace {
  check: string;
  title: string;
  truth: string;
  fix: string;
  must: Tree;
}

/** All safeguards with what came of them. */
export interface CheckUp {
  safeguards: SafeguardAnswer[];
}

/** Which rulebook to check up: all safeguards, or the one named; and which labels mean sensitive and such. */
export interface CheckUpRequest {
  side?: Side;
  safeguard?: string;
  sensitive?: string[];
  administration?: string[];
}

/** What the trail and the log have come to, with its Ed25519 signature (base64) and the public key (PEM). */
export interface Checkpoint {
  checkpoint: string;
  signature: string;
  public_key: string;
}

/** What one value comes to: whom it would stop who got in, whom it would ask for more, and both together. */
export interface Choice {
  value: string;
  current: boolean;
  stopped: Numbers;
  asked: Numbers;
  hit: Numbers;
}

/** What a column is. */
export interface ColumnRule {
  to: string;
  split?: string;
  words?: Record<string, string>;
}

/** How the policies were combined. */
export interface CombinedTrace {
  stance: string;
  mildest_stance: string;
  strict: ReadingTrace;
  mild: ReadingTrace;
  block: RuleRef[];
  let_in: string[];
  before?: string | null;
  own_line?: boolean;
}

/** Two rulebooks to compare, the earlier first. */
export interface CompareRequest {
  before: Side;
  after: Side;
}

/** What differs between two rulebooks, in document order; empty when they say the same. */
export interface Comparison {
  before: string;
  after: string;
  objects: ObjectChange[];
}

/** The metadata document (section 9). */
export interface Configuration {
  policy_decision_point: string;
  access_evaluation_endpoint: string;
  access_evaluations_endpoint: string;
  search_subject_endpoint: string;
  search_resource_endpoint: string;
  search_action_endpoint: string;
}

/** A console session; `id` is the beginning of its digest, `mine` tells that it is the one that asks. */
export interface ConsoleSession {
  id: string;
  account: string;
  created_at: string;
  seen_at: string;
  address: string;
  mine: boolean;
}

/** Console sessions, the newest first. */
export interface ConsoleSessionList {
  items: ConsoleSession[];
}

/** What a decision costs at most: steps by formula, and milliseconds of processor time of the worst made attempt. */
export interface CostView {
  steps: number;
  milliseconds: number | null;
  most_steps: number;
  most_milliseconds: number;
  fits: boolean;
}

/** All cells. */
export interface CoverageGrid {
  apps: GridApp[];
  rows: GridRow[];
  given: Record<string, string>;
  where: string;
  password_alone: boolean;
  exact: boolean;
  changed: number;
}

/** How many people and apps of the inventory a scope covers. */
export interface Covered {
  people: number;
  apps: number;
}

/** Whom or what a scope covers, in order of id; `following` is where the next page begins. */
export interface CoveredPage {
  count: number;
  items: Named[];
  following: string | null;
}

/** How many sign-ins of one day had which outcome. */
export interface Day {
  day: string;
  allowed: number;
  challenged: number;
  blocked: number;
}

/** How many on one day. */
export interface DayCount {
  day: string;
  count: number;
}

/** How many sign-ins of a day had which outcome. */
export interface DayOutcomes {
  day: string;
  allowed?: number;
  challenged?: number;
  blocked?: number;
}

/** The rules that decide on both sides. */
export interface DecidedBy {
  before: RuleRef[];
  after: RuleRef[];
}

/** One decision; the same shape offline and from the service. */
export interface Decision {
  outcome: string;
  reason: string | null;
  certain: boolean;
  deciding: RuleRef[];
  outstanding: string[];
  in_the_way: string[];
  unknown: string[];
  keep: Record<string, number | boolean>;
  shadow: Shadow;
  tell: Tell[];
  revision?: number | null;
  outstanding_smallest?: boolean;
}

/** One object with what follows from it: all groups of a person, the standards of a device. */
export interface Detail {
  noun: string;
  item: Item;
  groups: string[];
  standards: StandardState[];
}

/** A device of somebody; `failing` are the standards that it does not surely pass now. */
export interface DeviceLine {
  id: string;
  title: string;
  platform: string;
  os_version: string;
  failing: string[];
}

/** A device, and what follows from its state. */
export interface DeviceProfile {
  item: Item;
  owner: NamedObject | null;
  state_at: string;
  state_age: string;
  standards: StandardState[];
  users: UserOf[];
  signins: SigninLine[];
  reach: AppReach[];
}

/** What a device reports of itself; what it leaves out stays as it was. */
export interface DeviceState {
  os_version?: string | null;
  managed?: boolean | null;
  encrypted?: boolean | null;
  screen_lock?: boolean | null;
  tampered?: boolean | null;
}

/** One finding about a text: stable code, what is wrong, what would be right. */
export interface Diagnostic {
  code: string;
  message: string;
  severity?: string;
  hint?: string;
  expected?: string[];
  path?: string;
  span?: Span | null;
  change?: Change | null;
  danger?: '' | 'nobody-can-explain' | 'nobody-gets-in' | 'somebody-gets-in' | 'tidiness';
  accepted?: string;
}

/** One session that is still good. */
export interface DoorSession {
  id: string;
  door: string;
  person: string;
  app: string;
  device: string | null;
  started: string;
  seen: string;
  ends_at: string | null;
  idle_ends_at: string | null;
  end_with_browser: boolean;
  methods: string[];
  signin: string;
  asks?: string[];
  because?: string;
  held?: number | null;
}

/** An object that both the draft and a newer revision have changed; None where it was taken out. */
export interface DraftConflict {
  path: string;
  mine: string | null;
  theirs: string | null;
}

/** The documents of a draft. */
export interface DraftFiles {
  files: File[];
}

/** A draft without its documents. */
export interface DraftInfo {
  name: string;
  base: number;
  version: number;
  begun: string;
  begun_by: string;
  saved: string;
  saved_by: string;
  discarded: string | null;
  behind: boolean;
  changed: number;
  shadowed?: string | null;
  plan?: PlanInfo | null;
  failed?: string;
  digest?: string;
  shadow_version?: number | null;
  published?: number | null;
}

/** Every draft, those saved last first; discarded ones too. */
export interface DraftList {
  items: DraftInfo[];
}

/** An object of a draft as it stands in its document; `path` is such as ``policies.abroad``. */
export interface DraftObject {
  path: string;
  text: string;
  changed: boolean;
  before: string;
}

/** A draft to begin: on top of a revision (the current one when none is named), with its documents or others. */
export interface DraftRequest {
  name: string;
  revision?: number | null;
  files?: File[] | null;
}

/** A change of one object: one of its fields set to a value, or with None taken out. */
export interface Edit {
  path: string;
  field: string;
  value?: unknown;
}

/** Changes of the current revision to be published as one; the others as in publishing. */
export interface EditRequest {
  edits: Edit[];
  why: string;
  base?: number | null;
  accept_lockout_risk?: string;
  accept_failing_rehearsals?: string;
  accept_failing_guarantees?: string;
}

/** Factors that would have to be enrolled, in words, and what can come of trying to. */
export interface Enrolling {
  factors: string[];
  sentence: Piece[];
  possible: string[];
  exact: boolean;
  needs_code: boolean;
}

/** A subject or resource (sections 5.1 and 5.2): its type, its id, and what the caller says of it. */
export interface Entity {
  type?: string;
  id?: string;
  properties?: Record<string, unknown>;
}

/** An access evaluation request (section 6.1), also one of several: what it leaves out the others' defaults fill. */
export interface Evaluation {
  subject?: Entity | null;
  action?: Action | null;
  resource?: Entity | null;
  context?: Record<string, unknown> | null;
}

/** Several evaluation requests in one (section 7.1), with defaults for each. */
export interface Evaluations {
  subject?: Entity | null;
  action?: Action | null;
  resource?: Entity | null;
  context?: Record<string, unknown> | null;
  evaluations?: Evaluation[];
  options?: Options;
}

/** Everything that was looked at; `well` when nothing is bad. */
export interface Examination {
  well: boolean;
  symptoms: Symptom[];
}

/** An attempt that shows something: its facts, outcome and deciding rules, and all of that told as a story. */
export interface Example {
  facts: Record<string, unknown>;
  outcome: string;
  deciding: RuleRef[];
  story?: Piece[];
}

/** A fact as it was recorded and as it would be now; None when unknown. */
export interface FactChange {
  fact: string;
  then: string | null;
  now: string | null;
}

/** A part of the rulebook that a fact can name; of methods a factor, with what it yields as the id. */
export interface FactChoice {
  id: string;
  title: string;
}

/** The facts of the current rulebook, its places to choose from, and the zones of its schedules. */
export interface FactList {
  items: FactView[];
  places: PlaceChoice[];
  zones: string[];
}

/** A known fact: value, wording, and where it came from. */
export interface FactTrace {
  value: unknown;
  shown: string;
  origin: string;
}

/** One fact of the catalogue; `label` is what it is called beside a box, `choices` the parts that it can name. */
export interface FactView {
  name: string;
  type: string;
  doc: string;
  words: string[];
  label: string;
  choices: FactChoice[];
}

/** The second factors of an account, and whether one is required here. */
export interface FactorList {
  totp: boolean;
  passkeys: PasskeyInfo[];
  required: boolean;
}

/** A check of a standard that a device does not surely pass. */
export interface FailedCheck {
  check: string;
  title: string;
  truth: string;
  fix: string;
}

/** A rule that the candidate does not meet. */
export interface FailedRule {
  rule: string;
  says: string;
}

/** A device that does not surely pass a standard. */
export interface FailingDevice {
  device: string;
  title: string;
  person: string;
  person_title: string;
  truth: string;
  checks: FailedCheck[];
  loses: string[];
}

/** The devices that fail a standard, by id. */
export interface FailingDevices {
  standard: string;
  title: string;
  draft: string;
  devices: number;
  total: number;
  people: number;
  losing: number;
  items: FailingDevice[];
  next: string | null;
  contact: string;
}

/** All feeds and streams. */
export interface FeedList {
  items: FeedView[];
}

/** Whether nothing more is taken from a feed. */
export interface FeedPause {
  paused: boolean;
}

/** A feed that events are taken from. */
export interface FeedRequest {
  name: string;
  issuer: string;
  keys: Record<string, unknown>;
  audience?: string;
  says?: ('account-disabled' | 'account-enabled' | 'credential-compromise' | 'device-compliance-change' | 'risk-level-change' | 'session-revoked')[];
  lasts_hours?: number;
  targeted?: string;
  poll?: string;
  token?: string;
  every_seconds?: number;
}

/** Something that keeps facts current, or is told of them. */
export interface FeedView {
  name: string;
  kind: 'address list' | 'devices' | 'directory' | 'events in' | 'events out' | 'hook';
  state: string;
  keeps: string[];
  last: string;
  events: number;
  waiting?: number;
  error?: string;
  issuer?: string;
  audience?: string;
  lasts_hours?: number;
  targeted?: string;
  address?: string;
}

/** A named document of a rulebook. */
export interface File {
  name: string;
  text: string;
}

/** The steps, in order; those after a dead end are told as if it were passed. */
export interface FirstDevice {
  sentence: Piece[];
  steps: FirstDeviceStep[];
}

/** How somebody who has nothing yet gets in with a first device. */
export interface FirstDeviceRequest {
  given?: Record<string, string>;
  draft?: string;
  files?: File[] | null;
  revision?: number | null;
}

/** One step on the way. */
export interface FirstDeviceStep {
  step: string;
  title: string;
  sentence: Piece[];
  possible: string[];
  exact: boolean;
  dead_end: boolean;
  why: Piece[];
  deciding: RuleRef[];
  given: Record<string, string>;
  needs_code: boolean;
}

/** One of the first steps of a company: why it is taken, where in the console, and by which command. */
export interface FirstStep {
  name: string;
  title: string;
  why: string;
  place: string;
  command: string;
  taken: boolean;
  skipped_by?: string;
}

/** A failed check of a device standard, with what to do about it. */
export interface Fix {
  standard: string;
  check: string;
  title: string;
  fix: string;
  truth: string;
}

/** How many sign-ins went from one outcome to another, of how many people with how many devices. */
export interface Flow {
  from: string;
  to: string;
  count?: number;
  people?: number;
  devices?: number;
}

/** How many sign-ins are older than a moment, and whether they were taken out. */
export interface Forgotten {
  before: string;
  count: number;
  done: boolean;
}

/** A required formula: met now, and attainable during the sign-in. */
export interface FormulaTrace {
  policy: string;
  rule: string;
  formula: string;
  met: boolean;
  attainable: boolean;
}

/** Somebody who has left: since when, and what was ended with it. */
export interface Gone {
  person: string;
  since: string;
  sessions: number;
  starter_codes: number;
  devices: string[];
}

/** A column. */
export interface GridApp {
  id: string;
  title: string;
}

/** What sign-ins of an audience to an app can meet. */
export interface GridCell {
  possible: string[];
  by_stance: string[];
  by_rules: string[];
  instead: string[] | null;
}

/** The grid of the current rulebook, of a revision, a draft or documents, in a context. */
export interface GridRequest {
  given?: Record<string, string>;
  where?: string;
  draft?: string;
  files?: File[] | null;
  revision?: number | null;
  against?: string;
  against_files?: File[] | null;
}

/** An audience: how a selector writes it, what it is called, how many people are in it now, and its cells. */
export interface GridRow {
  audience: string;
  title: string;
  people: number;
  cells: GridCell[];
}

/** A group: who is in it and why, what it is in, and which policies name it. */
export interface GroupProfile {
  item: Item;
  count: number;
  members: MemberLine[];
  parents: NamedObject[];
  children: NamedObject[];
  policies: Speaks[];
}

/** A group that a person is in. */
export interface GroupView {
  id: string;
  title: string;
  through: string[];
  until: string;
}

/** Whether a guarantee holds. */
export interface GuaranteeAnswer {
  guarantee: string;
  answer: 'fails' | 'holds' | 'undecided';
  seconds: number;
  title?: string;
  says?: Piece[];
  empty?: boolean;
  counterexample?: Example | null;
  remedy?: ProvenRemedy | null;
  since?: string;
}

/** Which rulebook's guarantees to prove: all, or the one named; `who` replaces the people it speaks about. */
export interface GuaranteeRequest {
  side?: Side;
  guarantee?: string;
  who?: '' | 'anyone' | 'inventory';
}

/** The service is there. */
export interface Health {
  status: string;
  version: string;
  revision: number | null;
}

/** A change that would end more sessions than may end unasked, or an administrator's: with who they are. */
export interface HeldChange {
  number: number;
  at: string;
  because: string;
  why: string;
  sessions: DoorSession[];
}

/** The changes about which nobody has decided, the latest first. */
export interface HeldChangeList {
  items: HeldChange[];
}

/** What became of a held change, and of how many sessions. */
export interface HeldDecided {
  number: number;
  verdict: 'carried out' | 'spared';
  sessions: number;
}

/** What is to become of a held change: its sessions end, or are left until something else changes. */
export interface HeldVerdict {
  verdict: 'carry out' | 'spare';
}

/** Somebody who is told what is new on the watch page. */
export interface HookRequest {
  name: string;
  url: string;
  format?: 'cloudevents' | 'ocsf';
  tells?: ('cause' | 'ending' | 'feed' | 'guarantee' | 'held' | 'lint' | 'rehearsal' | 'review' | 'shadow')[];
}

/** What takes out something that does nothing: a policy's path, and its text then, None to take it out as a whole. */
export interface IdleChange {
  path: string;
  text: string | null;
  same: boolean;
}

/** What does nothing; `whole` is false when time ran out before all was looked at. */
export interface IdleResult {
  items: IdleThing[];
  whole: boolean;
}

/** A rule, condition or policy that does nothing, with the rules that leave it nothing, and what takes it out. */
export interface IdleThing {
  kind: 'always-false' | 'always-true' | 'changes-nothing' | 'never-fires';
  policy: string;
  rule: string;
  because: string[];
  says: string;
  change?: IdleChange | null;
}

/** Imports, the newest first; `following` asks for those before. */
export interface ImportList {
  items: LogImport[];
  following: number | null;
}

/** What an import did; of broken lines the first are listed, all are counted, and so are words on no list. */
export interface ImportResult {
  added: number;
  already_there: number;
  conflicting: number;
  broken: number;
  listed: BrokenLine[];
  not_understood?: StrangeWord[];
  skipped?: number;
  respelled?: Respelled[];
  broken_alike?: BrokenAlike[];
  number?: number;
}

/** An object that has come or changed, as it is now; or that has gone, then without a document. */
export interface InventoryChange {
  noun: string;
  id: string;
  version: number;
  document: Record<string, unknown> | null;
}

/** What has changed; `next` is what to ask with for what changes later, and `more` whether there already is more. */
export interface InventoryChanges {
  items: InventoryChange[];
  next: string;
  more: boolean;
}

/** One object of the inventory. */
export interface Item {
  id: string;
  title: string;
  document: Record<string, unknown>;
  version?: number;
  kept_by?: string;
}

/** One object as it is to be; its id is the address's. */
export interface ItemRequest {
  document: Record<string, unknown>;
}

/** One requirement item. */
export interface ItemTrace {
  item: string;
  kind: string;
  name: string;
  met: string;
  attainable: boolean;
}

/** One job. */
export interface Job {
  id: string;
  kind: string;
  state: string;
  done: number;
  total: number;
  unit: string;
  by: string;
  began: string;
  result?: unknown;
  problem?: Problem | null;
}

/** The jobs since the service started, newest first. */
export interface JobList {
  items: Job[];
}

/** What would turn for somebody who became a member of a group; `already` where they are in it. */
export interface Joining {
  group: string;
  person: string;
  already: boolean;
  groups: string[];
  turned: OutcomeTurned[];
}

/** A kept rehearsal: the outcome that it must have, the one that it has, and whether they agree. */
export interface KeptRehearsal {
  id: string;
  title: string;
  expect: string;
  outcome: string;
  ok: boolean;
  decides: RuleRef[];
  turned_by: string[];
}

/** A condition or an effect, as text or as a tree, to be understood as in a draft. */
export interface LanguageRequest {
  kind: string;
  text?: string | null;
  tree?: unknown;
  draft?: string;
  only?: string;
}

/** What can be written: comparisons, what can be required, tests of parts, and words to choose from. */
export interface LanguageView {
  operators: OperatorView[];
  items: string[];
  named: Record<string, string>;
  timed: string[];
  tests: Record<string, PartTestView>;
  part_facts: Record<string, string>;
  choices: Record<string, string[]>;
  sections: string[];
  record: FactView[];
}

/** What one person is to be told. */
export interface Letter {
  person: string;
  title: string;
  text: string;
}

/** Texts, most hit first, and the template that they were made from. */
export interface Letters {
  items: Letter[];
  template: string;
}

/** Texts for those whom a replay hits, or for one of them; without a template there is one to begin with. */
export interface LettersRequest {
  template?: string;
  person?: string;
}

/** A value of a rulebook by which it is stricter or milder. */
export interface Limit {
  address: string;
  path: string;
  title: string;
  words: string;
  value: string;
  kind: string;
}

/** The limits of a rulebook, in document order; `changed` are those of objects that a draft changes. */
export interface LimitList {
  items: Limit[];
  changed?: string[];
}

/** An address list: how many networks it holds, the first of them, and the places that use it. */
export interface ListProfile {
  item: Item;
  count: number;
  networks: string[];
  places: NamedObject[];
}

/** Whether a person is locked out for too many wrong passwords, by which standard and until when. */
export interface LockState {
  locked: boolean;
  standard?: string;
  since?: string | null;
  until?: string | null;
  wrong?: number;
  reserved?: string;
}

/** A column of the log: what it is taken for, empty where for nothing, and the first different values in it. */
export interface LogColumn {
  name: string;
  to: string;
  values: string[];
}

/** One import. */
export interface LogImport {
  number: number;
  name: string;
  format: string;
  mapping: string;
  by: string;
  began: string;
  ended: string | null;
  added: number;
  already_there: number;
  conflicting: number;
  broken: number;
  first: string | null;
  last: string | null;
  taken_back: string | null;
  taken_back_by: string | null;
  there?: number | null;
}

/** How a log of another system is read. */
export interface LogMapping {
  columns: Record<string, ColumnRule>;
  constants?: Record<string, string>;
  zone?: string;
  moment?: string;
  skip?: Record<string, string[]>;
}

/** Whether the sign-in log is as it was written. */
export interface LogVerdict {
  whole: boolean;
  sealed: number;
  wrong: string;
}

/** The mappings that are kept, by name. */
export interface MappingList {
  mappings: Record<string, LogMapping>;
}

/** What would come of reading rows by a mapping. */
export interface MappingTrial {
  mapping: LogMapping;
  suggested: boolean;
  notes: string[];
  columns: LogColumn[];
  read: number;
  good: number;
  skipped: number;
  twice: number;
  broken: BrokenAlike[];
  not_understood: StrangeWord[];
  respelled: Respelled[];
  unknown: UnknownObject[];
  rows: TriedRow[];
}

/** The outcomes of every combination: a row for each value of `down`, one row without it. */
export interface Matrix {
  across: string;
  across_values: string[];
  down: string;
  down_values: string[];
  cells: Cell[][];
}

/** A rehearsal for every combination of the values of one or two facts. */
export interface MatrixRequest {
  across: AxisRequest;
  down?: AxisRequest | null;
  given?: Record<string, string>;
  draft?: string;
  files?: File[] | null;
  revision?: number | null;
}

/** What differs between two rulebooks in meaning. */
export interface Meaning {
  same: boolean;
  exact: boolean;
  changes: MeaningChange[];
  definitions?: string[];
  sentence?: string;
}

/** A kind of change: from which outcome to which, what is outstanding on both sides, where it occurs, an attempt. */
export interface MeaningChange {
  from: string;
  to: string;
  outstanding: string[][];
  apps: string[];
  people: string[];
  because: DecidedBy;
  witness: MeaningWitness;
  story?: Piece[];
}

/** Two rulebooks to be compared by what they mean. */
export interface MeaningRequest {
  before: Side;
  after: Side;
  only?: string;
}

/** Two rulebooks compared by what they mean. */
export interface MeaningResult {
  meaning: Meaning;
}

/** An attempt that shows a change. */
export interface MeaningWitness {
  facts: Record<string, unknown>;
}

/** Somebody who is in a group: through which groups, and until when; both empty for a membership that lasts. */
export interface MemberLine {
  person: string;
  title: string;
  through: string[];
  until: string;
}

/** Somebody who becomes a member of a group; until a moment, where it ends by itself. */
export interface Membership {
  person: string;
  until?: string;
}

/** A limit of a draft, by its address, and what it is to be. */
export interface MoveLimit {
  limit: string;
  value: string;
}

/** Moving a draft onto the current revision; `taking` says by path whose object to take: ``mine`` or ``theirs``. */
export interface MoveRequest {
  taking?: Record<string, string>;
}

/** What moving came to: the draft as it is now, and what stands in the way; with conflicts nothing was moved. */
export interface Moved {
  draft: DraftInfo;
  conflicts: DraftConflict[];
}

/** A person, app or device by id and title; `note` is what there is to say of it here. */
export interface Named {
  id: string;
  title: string;
  note?: string;
}

/** An object by id, with its title. */
export interface NamedObject {
  id: string;
  title: string;
}

/** A notice that somebody has accepted. */
export interface NoticeAccepted {
  notice: string;
  version: number;
  accepted: string;
}

/** The same facts under the current revision. */
export interface Now {
  revision: number;
  decision: Decision;
  sentence: Piece[];
  changed: Piece[];
}

/** How many sign-ins, people and devices. */
export interface Numbers {
  count: number;
  people: number;
  devices: number;
}

/** An object that was added, removed or changed: its text on both sides, of a policy also its sentence. */
export interface ObjectChange {
  kind: string;
  id: string;
  title: string;
  change: string;
  before: string;
  after: string;
  before_words: Piece[];
  after_words: Piece[];
}

/** An object of a draft to put as text or as plain values, or with neither to take out. */
export interface ObjectRequest {
  path: string;
  text?: string | null;
  value?: unknown;
  id?: string;
}

/** A draft with the object that was put, under the path that it has now; without text when it was taken out. */
export interface ObjectSaved {
  info: DraftInfo;
  path: string;
  text: string | null;
  value: unknown;
}

/** One object of a draft with all that an editor shows beside it. */
export interface ObjectView {
  path: string;
  text: string;
  value: unknown;
  before: string;
  changed: boolean;
  version: number;
  words: Piece[];
  rules: Piece[][];
  problems: Diagnostic[];
  told: ToldText[];
  used_by: Use[];
  covers: Covered | null;
  standing: Standing | null;
}

/** What can come of a rehearsal, whatever the facts that were left open are. */
export interface OpenCases {
  sentence: Piece[];
  door: Piece[];
  facts: string[];
  exact: boolean;
  possible: string[];
  matters: string[];
  witnesses: Record<string, Record<string, unknown>>;
  tree: CaseNode;
  settled: boolean;
  now?: CasesNow | null;
}

/** A comparison: its spelling, the types of fact that it fits, and how many values it takes. */
export interface OperatorView {
  op: string;
  types: string[];
  values: string;
  doc: string;
}

/** The options of several evaluations (section 7.1.2). */
export interface Options {
  evaluations_semantic?: string;
}

/** An app that somebody meets otherwise after a change, by a plain sign-in; empty where one is not there. */
export interface OutcomeTurned {
  person: string;
  app: string;
  before: string;
  after: string;
}

/** Objects by id; `next` is where the next page starts. */
export interface Page {
  items: Item[];
  total: number;
  next: string | null;
}

/** Where to go on; empty when nothing is left. */
export interface PageAnswer {
  next_token: string;
}

/** Where to go on, and how many at most (section 8.1.1). */
export interface PageRequest {
  token?: string;
  limit?: number;
}

/** One line of a part: a label, a value, and what goes with it (such as a fix). */
export interface PartLine {
  label: string;
  value: string;
  note?: string;
}

/** A test of a part: how it starts, what it is in words, and the section of the part. */
export interface PartTestView {
  starts: string;
  says: string;
  section: string;
}

/** A named part: its content, line by line, and the places that use it. */
export interface PartView {
  kind: string;
  id: string;
  title: string;
  note: string;
  lines: PartLine[];
  used_by: Use[];
}

/** A passkey that is kept. */
export interface PasskeyInfo {
  id: string;
  title: string;
  created_at: string;
  used_at: string | null;
}

/** A passkey that a browser made, and what it is called. */
export interface PasskeyMade {
  credential: Record<string, unknown>;
  title?: string;
}

/** What a browser is asked for, as WebAuthn has it. */
export interface PasskeyOptions {
  options: Record<string, unknown>;
}

/** A new password for the account that asks, with the one it has; without, where it has none. */
export interface PasswordChange {
  password: string;
  current?: string;
}

/** How many people and apps of the inventory a policy from a pattern would cover. */
export interface PatternCovers {
  people: number | null;
  apps: number | null;
  title: string;
  problems?: string[];
}

/** The patterns that policies are written from. */
export interface PatternList {
  items: PatternView[];
}

/** A policy to be added from a pattern: what stands in the blanks, a title and an id of its own. */
export interface PatternRequest {
  pattern: string;
  id?: string;
  blanks?: Record<string, string>;
  title?: string;
}

/** A pattern with what stands in its blanks so far, of which it is asked whom it would cover. */
export interface PatternScope {
  pattern: string;
  blanks?: Record<string, string>;
}

/** A pattern of a policy: the sentence, with its blanks in braces. */
export interface PatternView {
  name: string;
  title: string;
  says: string;
  blanks: BlankView[];
}

/** What changes for one person. */
export interface PersonHit {
  person: string;
  title: string;
  flows: Flow[];
  last: string;
  devices: string[];
  because: RuleRef[];
  factors: string[] | null;
  asked: string[];
  missing: string[];
  enrol: string[][];
  fixes: string[];
  needs: string[];
}

/** A person, and what follows from all that is known of them. */
export interface PersonProfile {
  item: Item;
  off: string;
  kind: string;
  unit: string;
  groups: GroupView[];
  roles: string[];
  factors: string[] | null;
  devices: DeviceLine[];
  risk: string;
  risk_from: string;
  locked_until: string;
  sessions: SessionLine[];
  starter_codes: number;
  accepted: NoticeAccepted[];
  signins: SigninLine[];
  device: string;
  address: string;
  reach: AppReach[];
}

/** Who it is, as the policies see them. */
export interface PersonView {
  id: string;
  title: string;
  groups: GroupView[];
  roles: string[];
  factors: string[] | null;
  used: UsedFact[];
  needed: ProofNeeded[];
  enrol: Enrolling[];
}

/** A stretch of a sentence; `kind` and `id` name what it speaks of. */
export interface Piece {
  text: string;
  kind?: string;
  id?: string;
}

/** A place, with facts as text of an attempt that comes from there. */
export interface PlaceChoice {
  id: string;
  title: string;
  given: Record<string, string>;
}

/** One part of a place. */
export interface PlacePart {
  part: string;
  shown: string;
  truth: string;
}

/** A place with its parts. */
export interface PlaceTrace {
  title: string;
  truth: string;
  parts: PlacePart[];
  without: PlacePart[];
}

/** When a draft is to be published, by whose word and why. */
export interface PlanInfo {
  at: string;
  by: string;
  why: string;
}

/** When a draft is to be published (RFC 3339), and why; the rest as in publishing it now. */
export interface PlanRequest {
  at: string;
  why: string;
  digest?: string;
  accept_lockout_risk?: string;
  accept_failing_rehearsals?: string;
}

/** What a policy has to do with a person and an app. */
export interface PolicyPart {
  policy: string;
  title: string;
  mode: 'enforced' | 'shadow';
  speaks: boolean;
  decides: Example[];
}

/** A policy spelled out for somebody who does not know the language. */
export interface PolicySheet {
  revision: number | null;
  draft: string;
  id: string;
  title: string;
  mode: string;
  owner: string;
  why: string;
  note: string;
  contact: string;
  active: Record<string, string>;
  sentence: Piece[];
  scope: Piece[];
  people: Scoped;
  apps: Scoped;
  rules: SheetRule[];
  parts: PartView[];
  guarantees: NamedObject[];
  rehearsals: SheetRehearsal[];
  changes: SheetChange[];
  effect: SheetEffect | null;
  reviews: Review[];
  digest: string;
}

/** A whole rulebook as sheets, by owner and title. */
export interface PolicySheets {
  revision: number | null;
  draft: string;
  stance: string;
  made: string;
  sheets: PolicySheet[];
}

/** How one policy was read. */
export interface PolicyTrace {
  policy: string;
  title: string;
  mode: string;
  scope: ScopeTrace;
  rules: RuleTrace[];
  not_reached: string[];
  effects: PossibleEffect[];
  summary?: Piece[];
  names_app?: string;
}

/** A policy as a reader wants it: one sentence, its rules, and the parts it is built from. */
export interface PolicyView {
  id: string;
  title: string;
  why: string;
  note: string;
  owner: string;
  mode: string;
  labels: string[];
  contact: string;
  people: string[];
  except_people: string[];
  apps: string[];
  except_apps: string[];
  operations: string[];
  active: Record<string, string>;
  sentence: Piece[];
  scope: Piece[];
  rules: RuleView[];
  parts: Use[];
  source: string;
  span?: Span | null;
}

/** An effect that a policy may have; `rule` is None for having no opinion by silence. */
export interface PossibleEffect {
  rule: string | null;
  effect: string;
}

/** A problem document, RFC 9457 section 3, with a stable `code` and the findings in `errors`. */
export interface Problem {
  title: string;
  status: number;
  code: string;
  type?: string;
  detail?: string;
  hint?: string;
  request_id?: string;
  errors?: Diagnostic[];
  more?: number;
}

/** A proof that is asked for, and with what the person can give it. */
export interface ProofNeeded {
  item: string;
  words: Piece[];
  held: string[][];
  enrolling: string[][];
  code?: boolean;
}

/** A question to be proven as a job: one of the requests, under the name of its endpoint. */
export interface ProofQuestion {
  prove?: GuaranteeRequest | null;
  idle?: GuaranteeRequest | null;
  meaning?: MeaningRequest | null;
  'check-up'?: CheckUpRequest | null;
  about?: AboutRequest | null;
  adds?: AddsRequest | null;
}

/** A fresh proof of who somebody is: a code of the authenticator app, a passkey's answer, or the password. */
export interface ProofRequest {
  totp?: string;
  password?: string;
  passkey?: Record<string, unknown> | null;
}

/** The answers to the guarantees of a rulebook, in its order. */
export interface ProofResult {
  guarantees: GuaranteeAnswer[];
}

/** A policy that mends what failed: its path and text, and whether it is proven to. */
export interface ProvenRemedy {
  path: string;
  text: string;
  mends: boolean;
}

/** Why a draft is published, and the digest of it that the publisher was shown; the rest as of documents. */
export interface PublishDraft {
  why: string;
  digest?: string;
  accept_lockout_risk?: string;
  accept_failing_rehearsals?: string;
  accept_failing_guarantees?: string;
}

/** Documents to publish. */
export interface PublishRequest {
  files: File[];
  why: string;
  base?: number | null;
  accept_lockout_risk?: string;
  accept_failing_rehearsals?: string;
  accept_failing_guarantees?: string;
}

/** The revision made, with warnings and notes; `unchanged` where the current one says the very same already. */
export interface PublishResult {
  revision: RevisionInfo;
  diagnostics: Diagnostic[];
  unchanged?: boolean;
}

/** What an inventory import did, or with a dry run would do; nothing is taken in when something is wrong. */
export interface PutResult {
  added: number;
  changed: number;
  errors: Diagnostic[];
  removed: number;
  dry_run: boolean;
  going: Record<string, string[]>;
  warnings: Diagnostic[];
  says: string;
  people: number;
  gaining: number;
  losing: number;
  left_out: number;
  turned: OutcomeTurned[];
}

/** What somebody, or anybody of a group, can meet at each app from any device, place and moment, at no risk. */
export interface ReachCoverage {
  apps: AppMet[];
  exact: boolean;
}

/** The outcome of the strict or the mild reading. */
export interface ReadingTrace {
  outcome: string;
  reason: string | null;
}

/** A device is to stay off the list. */
export interface RefuseRequest {
  device: string;
  why: string;
}

/** The answer to a rehearsal: all cases, the decision on what is known with its trace, remarks on what was given. */
export interface Rehearsal {
  sentence: Piece[];
  decision: Decision;
  trace: Trace;
  remarks: string[];
  remedies: Remedy[];
  cases: OpenCases;
  stages: Stage[];
  person?: PersonView | null;
}

/** A rehearsal that is kept in the rulebook: its facts as JSON, and the outcome that it must have. */
export interface RehearsalInfo {
  id: string;
  title: string;
  expect: string;
  attempt: Record<string, unknown>;
}

/** The rehearsals of a rulebook, in document order. */
export interface RehearsalList {
  items: RehearsalInfo[];
}

/** An attempt to rehearse. */
export interface RehearseRequest {
  facts?: Record<string, unknown>;
  given?: Record<string, string>;
  files?: File[] | null;
  revision?: number | null;
  draft?: string;
}

/** A smallest set of changes that would have led to a better outcome; none of its steps can be left out. */
export interface Remedy {
  outcome: string;
  outstanding: string[];
  who: string;
  sentence: Piece[];
  steps: RemedyStep[];
  instead?: RemedyStep[];
}

/** One change of facts: what to do, who can do it, and the facts as they would be then. */
export interface RemedyStep {
  says: string;
  who: string;
  facts: Record<string, unknown>;
}

/** An object that was taken out. */
export interface Removed {
  noun: string;
  id: string;
}

/** Stored sign-ins to be decided again. */
export interface ReplayRequest {
  under: Side;
  rulebook?: Side | null;
  since?: string;
  until?: string;
  where?: string;
  inventory?: string;
}

/** What a replay came to. */
export interface ReplayResult {
  sentence: Piece[];
  attempts: number;
  same: number;
  meaning: number;
  undetermined: number;
  flows: Flow[];
  because: Because[];
  people: number;
  devices: number;
  changed: Numbers;
  hit: PersonHit[];
  lacking: string[];
  by: Record<string, Share[]>;
  under: string;
  rulebook: string;
  since: string;
  until: string;
  contact?: string;
  draft?: string;
  version?: number;
  titles?: Record<string, Record<string, string>>;
}

/** The last replay of a draft, without a result when there is none; `stale` when the draft has changed since. */
export interface Replayed {
  job: string;
  result: ReplayResult | null;
  stale: boolean;
}

/** Formulas and items of all possible requirements. */
export interface RequirementsTrace {
  formulas: FormulaTrace[];
  items: ItemTrace[];
}

/** An id that was taken for one of the inventory, as letters' case alone differs. */
export interface Respelled {
  fact: string;
  said: string;
  taken: string;
  count: number;
}

/** A revision to publish again as the next one; the others as in publishing. */
export interface RestoreRequest {
  number: number;
  why: string;
  base?: number | null;
  accept_lockout_risk?: string;
  accept_failing_rehearsals?: string;
  accept_failing_guarantees?: string;
}

/** A review of a policy. */
export interface Review {
  policy: string;
  by: string;
  at: string;
  again: string;
  note: string;
  changed: boolean;
}

/** A policy with its last review. */
export interface ReviewDue {
  policy: string;
  title: string;
  owner: string;
  mode: string;
  state: string;
  last: Review | null;
}

/** The policies of the current revision, those that are due first. */
export interface ReviewList {
  items: ReviewDue[];
}

/** That a policy was reviewed as it is. */
export interface ReviewRequest {
  digest: string;
  again?: string;
  note?: string;
}

/** A revision with its documents. */
export interface Revision {
  info: RevisionInfo;
  files: File[];
}

/** One published state of the rulebook; moments are RFC 3339. */
export interface RevisionInfo {
  number: number;
  published_at: string;
  published_by: string;
  why: string;
  digest: string;
  current: boolean;
  override?: string;
  meaning?: number;
}

/** Every revision, newest first. */
export interface RevisionList {
  items: RevisionInfo[];
}

/** A rule, by its policy and id. */
export interface RuleRef {
  policy: string;
  rule: string;
}

/** One rule reached. */
export interface RuleTrace {
  rule: string;
  title: string;
  truth: string;
  when: Tree | null;
  effect: string;
}

/** A rule, as text and in words. */
export interface RuleView {
  id: string;
  title: string;
  when: string;
  then: string;
  words: Piece[];
  tell: string;
  link: string;
  keep: Record<string, number | boolean>;
}

/** A whole rulebook, readable. */
export interface RulebookView {
  revision: RevisionInfo | null;
  settings: SettingsView;
  policies: PolicyView[];
  parts: PartView[];
  diagnostics: Diagnostic[];
}

/** A safeguard with what came of it. */
export interface SafeguardAnswer {
  safeguard: string;
  title: string;
  grade: number;
  why: string;
  costs: string;
  verdict: 'fails' | 'not-applicable' | 'passes' | 'undecided';
  says?: string;
  counterexample?: Example | null;
  remedy?: ProvenRemedy | null;
  since?: string;
}

/** What was said of a fact and is on no list, and by whom: the fact is unknown. */
export interface SaidTrace {
  said: unknown;
  origin: string;
}

/** A schedule with the local time and the windows of that day. */
export interface ScheduleTrace {
  title: string;
  truth: string;
  zone: string;
  local: string | null;
  windows: string[];
}

/** One part of a scope: what it lists, and whether it lets the attempt in. */
export interface ScopePart {
  part: string;
  truth: string;
  selectors: (string | SelectorTrace)[];
}

/** Whether a policy is about the attempt; `failed` is the first part that says no. */
export interface ScopeTrace {
  truth: string;
  failed: string | null;
  parts: ScopePart[];
}

/** Whom or what a scope covers in the inventory now: how many, and the first of them. */
export interface Scoped {
  count: number;
  total: number;
  first: NamedObject[];
}

/** A search request (section 8): one of the three lacks its id or name, and is what is looked for. */
export interface Search {
  subject?: Entity;
  action?: Action;
  resource?: Entity;
  context?: Record<string, unknown>;
  page?: PageRequest;
}

/** What a search found (section 8.1.2): subjects and resources by type and id, actions by name. */
export interface SearchResults {
  results: (Record<string, string>)[];
  page: PageAnswer;
}

/** Selectors that fit a search. */
export interface SelectorList {
  items: SelectorView[];
}

/** One selector of a scope with its truth. */
export interface SelectorTrace {
  text: string;
  truth: string;
}

/** A selector that could be written, with how many of the inventory it covers. */
export interface SelectorView {
  selector: string;
  title: string;
  count: number;
}

/** A session to end; not of the standard. */
export interface SessionEnd {
  id: string;
}

/** Who is asking; `csrf` goes into the header of every change made with a console session. */
export interface SessionInfo {
  account: string;
  role: string;
  csrf: string;
  expires_at: string | null;
  half?: boolean;
  factors?: string[];
}

/** A session at a door that nobody has ended. */
export interface SessionLine {
  id: string;
  app: string;
  device: string;
  seen: string;
}

/** The sessions that are still good, those seen last first. */
export interface SessionList {
  items: DoorSession[];
}

/** What became of the session that a sign-in opened, or went on with. */
export interface SessionSince {
  id: string;
  started: string;
  seen: string;
  ended?: string;
  by?: string;
  asks?: string[];
  because?: string;
  held?: number | null;
}

/** Setting a thing aside with a reason; an empty reason takes it up again. */
export interface SetAsideRequest {
  key: string;
  mark: string;
  why?: string;
}

/** The settings of a rulebook. */
export interface SettingsView {
  stance: string;
  contact: string;
  keyholders: string[];
  assume: Record<string, string>;
  closed_apps: string[];
}

/** What the outcome would be with shadow policies enforced. */
export interface Shadow {
  each: Record<string, string>;
  together: string;
}

/** How many sign-ins of a day a shadow policy alone would have blocked, and challenged, that came out milder. */
export interface ShadowDay {
  day: string;
  blocked: number;
  challenged: number;
}

/** How many live decisions came out as `outcome` and would under the draft as `would`; one of them as example. */
export interface ShadowFlow {
  outcome: string;
  would: string;
  count: number;
  example: string;
}

/** A policy in shadow, with what it alone would have done of late. */
export interface ShadowPolicy {
  policy: string;
  title: string;
  since: string;
  blocked: number;
  challenged: number;
  people: string[];
  days: ShadowDay[];
  ready: boolean;
  why: string;
}

/** The shadow policies of the current revision, in its order. */
export interface ShadowPolicyList {
  items: ShadowPolicy[];
}

/** What a draft in shadow would have done since it is; only the flows that are there. */
export interface ShadowReport {
  since: string | null;
  flows: ShadowFlow[];
}

/** Whether live decisions are logged with the outcome of a draft as it is now; to begin, with the digest shown. */
export interface ShadowRequest {
  on: boolean;
  digest?: string;
}

/** How many of the sign-ins that change are of one app, group, place, device or day, and of how many people. */
export interface Share {
  name: string;
  count: number;
  people: number;
}

/** A revision in which the policy became another. */
export interface SheetChange {
  revision: number;
  at: string;
  by: string;
  why: string;
}

/** What the policy decided within some days. */
export interface SheetEffect {
  days: number;
  allowed: number;
  challenged: number;
  blocked: number;
  people: number;
}

/** A kept rehearsal that the policy decides, and whether it comes out as it must. */
export interface SheetRehearsal {
  id: string;
  title: string;
  outcome: string;
  ok: boolean;
}

/** A rule in words: when it speaks, what it says then, and what people are shown. */
export interface SheetRule {
  id: string;
  title: string;
  when: Piece[];
  then: Piece[];
  tell: string;
  link: string;
}

/** One side of a comparison: a revision by number, a draft, documents, or, with none, the current revision. */
export interface Side {
  revision?: number | null;
  files?: File[] | null;
  draft?: string;
}

/** A name and a password, or a one-time code. */
export interface SignInRequest {
  name?: string;
  password?: string;
  code?: string;
}

/** A signal worked out from the person's history: its truth, and what it was compared with. */
export interface SignalTrace {
  title: string;
  truth: string;
  why: Record<string, unknown>;
  summary?: Piece[];
}

/** A sign-in with its whole decision. */
export interface SigninDetail {
  summary: SigninSummary;
  decision: Decision;
}

/** A sign-in of the log. */
export interface SigninLine {
  id: string;
  at: string;
  person: string;
  app: string;
  device: string;
  outcome: string;
}

/** One page of the log, newest first; `counts` and `days` speak of everything that matches. */
export interface SigninPage {
  items: SigninSummary[];
  next: string | null;
  counts: Record<string, number>;
  days: Day[];
}

/** One row of the log. */
export interface SigninSummary {
  id: string;
  reference: string;
  at: string;
  person: string | null;
  app: string | null;
  device: string | null;
  operation: string | null;
  flow: string | null;
  address: string | null;
  country: string | null;
  anonymiser: string | null;
  owner: string | null;
  platform: string | null;
  client: string | null;
  credentials: string | null;
  recorded_outcome: string | null;
  recorded_reason: string | null;
  outcome: string;
  reason: string | null;
  certain: boolean;
  policy: string | null;
  rule: string | null;
  shadow_together: string;
  revision: number;
}

/** Why one sign-in came out as it did. */
export interface SigninTrace {
  summary: SigninSummary;
  sentence: Piece[];
  decision: Decision;
  trace: Trace;
  revision: RevisionInfo;
  person_title: string;
  app_title: string;
  device_title: string;
  fixes: Fix[];
  same: boolean;
  now: Now | null;
  remedies: Remedy[];
  since: FactChange[];
  around: SigninSummary[];
  not_believed?: Record<string, unknown>;
  drafts?: Record<string, string>;
  meaning?: number;
  present?: Decision | null;
  session?: SessionSince | null;
}

/** An address list, or devices, that are fetched. */
export interface SourceRequest {
  name: string;
  source: string;
  noun?: 'devices' | 'lists';
  every_seconds?: number;
}

/** A stretch of a file; lines and columns count from 1. */
export interface Span {
  file: string;
  line: number;
  column: number;
  end_line: number;
  end_column: number;
}

/** A policy that speaks about something; `naming` when it names it, else it is about it among others. */
export interface Speaks {
  policy: string;
  title: string;
  mode: string;
  naming: boolean;
  sentence: Piece[];
}

/** A stage of a sign-in with what has a say there: ``credentials``, ``enrolment``, ``app``, ``session``. */
export interface Stage {
  stage: string;
  title: string;
  parts: StagePart[];
}

/** What a rule has to do with an attempt; without a policy it is no policy that says so. */
export interface StagePart {
  policy: string;
  title: string;
  rule: string;
  mode: string;
  says: Piece[];
  perhaps: boolean;
  decides: boolean;
}

/** What one password standard says. */
export interface StandardResult {
  standard: string;
  title: string;
  failed: FailedRule[];
  not_checked: string[];
}

/** Whether a device passes a standard now. */
export interface StandardState {
  standard: string;
  title: string;
  truth: string;
  checks: CheckState[];
}

/** A device standard with its checks. */
export interface StandardTrace {
  title: string;
  truth: string;
  checks: CheckTrace[];
}

/** How a part stands now, a line each; of a standard also the devices that do not pass it. */
export interface Standing {
  lines: string[];
  devices?: Named[];
}

/** The rulebooks to start from. */
export interface StartList {
  items: StartView[];
}

/** A rulebook to start from: for whom it is, and the document. */
export interface StartView {
  name: string;
  title: string;
  about: string;
  text: string;
}

/** A code without its text. */
export interface StarterCodeInfo {
  id: string;
  person: string;
  starts: string;
  ends: string;
  issued: string;
  issued_by: string;
  used: string | null;
  used_for: string | null;
  revoked?: string | null;
}

/** The codes, those issued last first. */
export interface StarterCodeList {
  items: StarterCodeInfo[];
}

/** A new code; its text is shown this once. */
export interface StarterCodeMade {
  info: StarterCodeInfo;
  code: string;
}

/** A code to issue: for whom, from when on (now when empty), and for how long, such as ``8h``. */
export interface StarterCodeRequest {
  person: string;
  lasts?: string;
  starts?: string;
}

/** A word that is on no list of its fact, and how many sign-ins said it: the fact is unknown there. */
export interface StrangeWord {
  fact: string;
  word: string;
  count: number;
}

/** One thing looked at: `state` is ``good``, ``doubtful`` or ``bad``; `hint` is what to do about it. */
export interface Symptom {
  about: string;
  state: string;
  says: string;
  hint?: string;
}

/** A text for the person. */
export interface Tell {
  policy: string | null;
  rule: string | null;
  text: string;
  link?: string | null;
}

/** A tightening curve. */
export interface Tightening {
  limit: Limit;
  sentence: Piece[];
  choices: Choice[];
  attempts: number;
  counted: string[];
  nobody: string;
  few: string;
  fewer_than: number;
  under: string;
  since: string;
  until: string;
  draft?: string;
  version?: number;
}

/** A limit whose choices are to be tried on stored sign-ins. */
export interface TighteningRequest {
  under: Side;
  limit: string;
  choices?: string[];
  since?: string;
  until?: string;
  where?: string;
  fewer_than?: number;
}

/** A token without its secret; when it was used last and from where, and the drafts that it planned. */
export interface TokenInfo {
  id: string;
  name: string;
  role: string;
  created_at: string;
  created_by: string;
  expires_at: string | null;
  revoked: boolean;
  reports?: string[];
  sees?: boolean;
  only?: string[];
  used_at?: string | null;
  used_from?: string;
  plans?: string[];
}

/** Every token. */
export interface TokenList {
  items: TokenInfo[];
}

/** A new token; the secret is shown this once. */
export interface TokenMade {
  info: TokenInfo;
  token: string;
}

/** A token to make; `days` until it expires. */
export interface TokenRequest {
  name: string;
  role: string;
  days?: number;
  reports?: string[];
  sees?: boolean;
  only?: string[];
}

/** What the door shows when a rule decides; placeholders are filled as for one who is stopped at `app`. */
export interface ToldText {
  rule: string;
  outcome: string;
  text: string;
  link: string | null;
}

/** A secret for an authenticator app (RFC 6238), as text and as link; `begun` is sent back with the first code. */
export interface TotpBegun {
  secret: string;
  link: string;
  begun: string;
}

/** The first code of a secret that was begun. */
export interface TotpConfirmed {
  begun: string;
  code: string;
}

/** Everything that led to one decision. */
export interface Trace {
  facts: Record<string, FactTrace>;
  policies: PolicyTrace[];
  standards: Record<string, StandardTrace>;
  places: Record<string, PlaceTrace>;
  schedules: Record<string, ScheduleTrace>;
  signals: Record<string, SignalTrace>;
  requirements: RequirementsTrace;
  combined: CombinedTrace;
  not_understood?: Record<string, SaidTrace>;
}

/** A condition with the truth of every part: ``true``, ``false`` or ``unknown``. */
export interface Tree {
  kind: string;
  truth: string;
  text: string;
  span: [number, number];
  parts?: Tree[];
  fact?: string;
  value?: string | null;
  origin?: string;
  places?: string[];
  standard?: string;
  schedule?: string;
  signals?: string[];
}

/** The beginning of a log, to be read without anything being taken in. */
export interface TrialRequest {
  text: string;
  format?: 'csv' | 'ndjson';
  mapping?: LogMapping | null;
}

/** A row as it would be read. */
export interface TriedRow {
  line: number;
  id: string;
  facts: Record<string, unknown>;
  recorded: Record<string, string>;
  problems: string[];
}

/** What a text says: the canonical text and the tree, None where it cannot be read; positions are of one line. */
export interface Understood {
  text: string;
  tree: unknown;
  problems: Diagnostic[];
  words: Piece[];
}

/** Somebody or something that the inventory does not know: the fact, the id, how many rows, and who may be meant. */
export interface UnknownObject {
  fact: string;
  id: string;
  count: number;
  hint: string;
}

/** A device that came to a door and is on no list. */
export interface UnlistedDevice {
  device: string;
  serial: string;
  platform: string;
  os_version: string;
  count: number;
  first: string;
  last: string;
  people: UnlistedPerson[];
  of_people: number;
  refused_by?: string;
  why?: string;
}

/** Devices that are on no list, those seen last first. */
export interface UnlistedDevices {
  items: UnlistedDevice[];
  refused: number;
  days: number;
  cut?: boolean;
}

/** Somebody who came from one, by id and name. */
export interface UnlistedPerson {
  person: string;
  title: string;
  count: number;
}

/** A place where a part is used. */
export interface Use {
  kind: string;
  id: string;
  title: string;
}

/** A fact of a person that some policy reads. */
export interface UsedFact {
  fact: string;
  label: string;
  shown: string;
  origin: string;
}

/** Somebody who signs in from a device: how often among its last sign-ins, and when last. */
export interface UserOf {
  person: string;
  title: string;
  count: number;
  last: string;
}

/** A device is put on the list, as one that may be used. */
export interface VetRequest {
  device: string;
  id: string;
  owner?: 'company' | 'personal';
  person?: string;
}

/** Everything to watch; `well` when nothing is wrong that is not set aside. */
export interface Watch {
  sentence: string;
  well: boolean;
  items: WatchItem[];
  days: DayOutcomes[];
  first_steps?: FirstStep[];
}

/** One thing that is wrong, due or worth a look. */
export interface WatchItem {
  key: string;
  kind: string;
  state: string;
  says: Piece[];
  detail: string;
  mark: string;
  set_aside?: string;
  by?: string;
}

/** A draft with its documents and its objects. */
export interface WholeDraft {
  info: DraftInfo;
  files: File[];
  objects: DraftObject[];
}

/** Everything a decision came from: recomputing needs no service. */
export interface WholeRecord {
  id: string;
  revision: number;
  facts: Record<string, unknown>;
  decision: Decision;
  files: File[];
  meaning?: number;
}
