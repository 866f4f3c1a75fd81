// The filters of the log: they live in the address, so that a view can be sent to a colleague.
export const FILTERS: Record<string, string> = {
  person: 'person',
  app: 'app',
  device: 'device',
  outcome: 'outcome',
  reason: 'reason',
  policy: 'decided by',
  rule: 'rule',
  country: 'country',
  operation: 'operation',
  flow: 'flow',
  client: 'client',
  platform: 'platform',
  owner: 'device owner',
  anonymiser: 'anonymiser',
  credentials: 'credentials',
  recorded_outcome: 'recorded',
  shadow_together: 'with shadow policies',
  certain: 'certain',
  cause: 'cause',
  where: 'where',
  since: 'since',
  until: 'until',
};

export function read(querystring: string | undefined): Record<string, string> {
  const found: Record<string, string> = {};
  for (const [name, value] of new URLSearchParams(querystring ?? '')) if (name in FILTERS && value) found[name] = value;
  return found;
}

export function query(filters: Record<string, string>): string {
  const wanted = new URLSearchParams();
  for (const [name, value] of Object.entries(filters)) if (value) wanted.set(name, value);
  const text = wanted.toString();
  return text ? `?${text}` : '';
}

export function address(filters: Record<string, string>, change: Record<string, string> = {}): string {
  return `/signins${query({ ...filters, ...change })}`;
}
