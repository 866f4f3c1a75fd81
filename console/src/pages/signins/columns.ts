// The columns that the list can have; which it has is part of the address, and remembered for the next visit.
import type { SigninSummary } from '../../lib/api/types';

export interface Column {
  title: string;
  /** What the cell shows, and the filter that clicking it sets; empty where there is none. */
  value: (item: SigninSummary) => string | null;
  filter: string;
}

export const COLUMNS: Record<string, Column> = {
  person: { title: 'Person', value: (item) => item.person, filter: 'person' },
  app: { title: 'App', value: (item) => item.app, filter: 'app' },
  operation: { title: 'Operation', value: (item) => item.operation, filter: 'operation' },
  flow: { title: 'Flow', value: (item) => item.flow, filter: 'flow' },
  from: { title: 'From', value: (item) => item.address, filter: '' },
  country: { title: 'Country', value: (item) => item.country, filter: 'country' },
  anonymiser: { title: 'Anonymiser', value: (item) => item.anonymiser, filter: 'anonymiser' },
  device: { title: 'Device', value: (item) => item.device, filter: 'device' },
  owner: { title: 'Device owner', value: (item) => item.owner, filter: 'owner' },
  platform: { title: 'Platform', value: (item) => item.platform, filter: 'platform' },
  client: { title: 'Client', value: (item) => item.client, filter: 'client' },
  credentials: { title: 'Credentials', value: (item) => item.credentials, filter: 'credentials' },
  decided: { title: 'Decided by', value: (item) => item.policy, filter: 'policy' },
  recorded: { title: 'Recorded', value: (item) => item.recorded_outcome, filter: 'recorded_outcome' },
  said: { title: 'Recorded reason', value: (item) => item.recorded_reason, filter: '' },
  revision: { title: 'Revision', value: (item) => String(item.revision), filter: '' },
  reference: { title: 'Reference', value: (item) => item.reference, filter: '' },
};
export const USUAL = ['person', 'app', 'from', 'country', 'device', 'decided'];
const KEPT = 'caddrel.columns';

export function chosen(querystring: string | undefined): string[] {
  const asked = new URLSearchParams(querystring ?? '').get('columns') ?? localStorage.getItem(KEPT) ?? '';
  const known = asked.split(',').filter((name) => name in COLUMNS);
  return known.length ? known : USUAL;
}

/** Keeps a choice, and returns it as it stands in the address: nothing for the usual columns. */
export function keep(names: string[]): string {
  const inOrder = Object.keys(COLUMNS).filter((name) => names.includes(name));
  const text = inOrder.join(',') === USUAL.join(',') ? '' : inOrder.join(',');
  localStorage.setItem(KEPT, text);
  return text;
}
