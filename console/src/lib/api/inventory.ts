// What can be asked of the inventory: lists, objects from all sides, changes of them, imports.
import { call, send } from './caller';
import type {
  AppCoverage, AppProfile, CellDetail, CoverageGrid, DeviceProfile, FailingDevices, Gone, GridRequest, GroupProfile, Item, Joining, ListProfile, Page, PersonProfile, PolicySheet, PolicySheets, PutResult, ReachCoverage, RefuseRequest, ReviewList, Standing, UnlistedDevices, VetRequest,
} from './types';

export type Noun = 'people' | 'groups' | 'devices' | 'apps' | 'lists';
const quoted = encodeURIComponent;
const path = (noun: string, id: string) => `/api/v1/${noun}/${quoted(id)}`;

function query(params: Record<string, string | number>): string {
  const wanted = Object.entries(params).filter(([, value]) => value !== '').map(([name, value]) => [name, String(value)]);
  return wanted.length ? `?${new URLSearchParams(wanted).toString()}` : '';
}

export const inventory = {
  list: (noun: Noun, params: Record<string, string | number>, signal?: AbortSignal) => call<Page>('GET', `/api/v1/${noun}${query(params)}`, undefined, signal),
  person: (id: string, signal?: AbortSignal) => call<PersonProfile>('GET', `${path('people', id)}/profile`, undefined, signal),
  device: (id: string, signal?: AbortSignal) => call<DeviceProfile>('GET', `${path('devices', id)}/profile`, undefined, signal),
  app: (id: string, signal?: AbortSignal) => call<AppProfile>('GET', `${path('apps', id)}/profile`, undefined, signal),
  group: (id: string, signal?: AbortSignal) => call<GroupProfile>('GET', `${path('groups', id)}/profile`, undefined, signal),
  addresses: (id: string, signal?: AbortSignal) => call<ListProfile>('GET', `${path('lists', id)}/profile`, undefined, signal),
  personCoverage: (id: string, signal?: AbortSignal) => call<ReachCoverage>('GET', `${path('people', id)}/coverage`, undefined, signal),
  groupCoverage: (id: string, signal?: AbortSignal) => call<ReachCoverage>('GET', `${path('groups', id)}/coverage`, undefined, signal),
  appCoverage: (id: string, signal?: AbortSignal) => call<AppCoverage>('GET', `${path('apps', id)}/coverage`, undefined, signal),
  joining: (group: string, person: string, signal?: AbortSignal) => call<Joining>('GET', `${path('groups', group)}/joining${query({ person })}`, undefined, signal),
  /** Changes what is named of an object as it was seen; null takes it out. */
  change: async (noun: Noun, item: Item, document: Record<string, unknown>) =>
    (await send('PATCH', path(noun, item.id), { document }, undefined, { 'If-Match': `"${item.version}"` })).json() as Promise<Item>,
  add: async (noun: Noun, id: string, document: Record<string, unknown>) =>
    (await send('PUT', path(noun, id), { document }, undefined, { 'If-None-Match': '*' })).json() as Promise<Item>,
  join: (group: string, person: string, until: string) => call<Item>('POST', `${path('groups', group)}/members`, { person, until }),
  leave: (group: string, person: string) => call<Item>('DELETE', `${path('groups', group)}/members/${quoted(person)}`),
  off: (person: string) => call<Gone>('POST', `${path('people', person)}/off`),
  back: (person: string) => call<Item>('DELETE', `${path('people', person)}/off`),
  import: (noun: Noun, file: File, how: string, dryRun: boolean, removals: number) =>
    call<PutResult>(
      'POST',
      `/api/v1/${noun}${query({ how, format: file.name.toLowerCase().endsWith('.csv') ? 'csv' : 'ndjson', dry_run: dryRun ? 'yes' : '', accept_removals: removals || '' })}`,
      file,
    ),
  standing: (path: string, signal?: AbortSignal) => call<Standing>('GET', `/api/v1/rulebook/standing/${quoted(path)}`, undefined, signal),
  unlisted: (refused: boolean, signal?: AbortSignal) => call<UnlistedDevices>('GET', `/api/v1/unlisted-devices${query({ refused: refused ? 'yes' : 'no' })}`, undefined, signal),
  vet: (device: VetRequest) => call<UnlistedDevices>('POST', '/api/v1/unlisted-devices/vetted', device),
  refuse: (device: RefuseRequest) => call<UnlistedDevices>('POST', '/api/v1/unlisted-devices/refused', device),
  failing: (standard: string, draft: string, after: string, signal?: AbortSignal) =>
    call<FailingDevices>('GET', `/api/v1/standards/${quoted(standard)}/failing${query({ draft, after, limit: 100 })}`, undefined, signal),
};

export const coverage = {
  grid: (request: GridRequest, signal?: AbortSignal) => call<CoverageGrid>('POST', '/api/v1/rulebook/grid', request, signal),
  cell: (grid: GridRequest, audience: string, app: string, signal?: AbortSignal) => call<CellDetail>('POST', '/api/v1/rulebook/grid/cell', { grid, audience, app }, signal),
};

export const sheets = {
  policy: (id: string, draft: string, signal?: AbortSignal) => call<PolicySheet>('GET', `/api/v1/rulebook/policies/${quoted(id)}/sheet${query({ draft })}`, undefined, signal),
  all: (draft: string, signal?: AbortSignal) => call<PolicySheets>('GET', `/api/v1/rulebook/sheets${query({ draft })}`, undefined, signal),
  due: (owner: string, signal?: AbortSignal) => call<ReviewList>('GET', `/api/v1/reviews${query({ owner })}`, undefined, signal),
  review: (id: string, digest: string, again: string, note: string) => call<ReviewList>('POST', `/api/v1/rulebook/policies/${quoted(id)}/reviews`, { digest, again, note }),
};
