// Which fields each kind of object has, and how each is written. The service checks them; this is only their form.
export type FieldKind =
  | 'text'
  | 'long'
  | 'choice'
  | 'words'
  | 'people'
  | 'apps'
  | 'condition'
  | 'effect'
  | 'parts'
  | 'checks'
  | 'week'
  | 'rules'
  | 'combinations'
  | 'pairs'
  | 'group'
  | 'ticks';

export interface Field {
  key: string;
  label: string;
  kind: FieldKind;
  /** The choices, or the name under which the service has them; the section of the parts. */
  options?: string | string[];
  section?: string;
  fields?: Field[];
  hint?: string;
  otherwise?: string;
  /** Shown only where this other field has one of these values. */
  when?: [string, string[]];
  /** Not shown where this other field says something. */
  unless?: string;
  /** The effects that it can be; all where none are named. */
  effects?: string[];
}

const title: Field = { key: 'title', label: 'Title', kind: 'text' };
const note: Field = { key: 'note', label: 'Note', kind: 'long' };
const text = (key: string, label: string, hint = ''): Field => ({ key, label, kind: 'text', hint });
const choice = (key: string, label: string, options: string | string[], otherwise = ''): Field => ({ key, label, kind: 'choice', options, otherwise });
const words = (key: string, label: string, hint: string): Field => ({ key, label, kind: 'words', hint });

const scope: Field[] = [
  { key: 'people', label: 'People', kind: 'people', otherwise: 'everyone' },
  { key: 'except_people', label: 'Except', kind: 'people' },
  { key: 'apps', label: 'Apps', kind: 'apps', otherwise: 'every app' },
  { key: 'except_apps', label: 'Except apps', kind: 'apps' },
];
const operations: Field = {
  key: 'operations',
  label: 'Doing what',
  kind: 'ticks',
  options: 'operations',
  otherwise: 'sign-in',
};
const placeParts: Field[] = [
  words('networks', 'Networks', '192.0.2.0/26, 2001:db8::/48'),
  words('countries', 'Countries', 'NO, IS'),
  words('anonymisers', 'Anonymisers', 'vpn, proxy, relay, tor'),
  words('lists', 'Address lists', 'bad-addresses'),
  words('asns', 'AS numbers', '64500'),
  { key: 'places', label: 'Other places', kind: 'parts', section: 'places' },
];
const history: Field[] = [text('history', 'Looks back at', 'so many sign-ins: 30'), text('not_older_than', 'Not older than', '90d')];

export const FIELDS: Record<string, Field[]> = {
  policies: [
    title,
    choice('mode', 'Mode', 'modes', 'shadow'),
    ...scope,
    operations,
    { key: 'rules', label: 'Rules', kind: 'rules' },
    { key: 'why', label: 'Why', kind: 'long' },
    text('owner', 'Owner'),
    words('labels', 'Labels', 'passenger-data'),
    { key: 'active', label: 'In force only', kind: 'group', fields: [text('from', 'From', '2026-12-01T06:00:00Z'), text('until', 'Until', '2027-01-04T00:00:00Z')] },
    text('contact', 'Contact for those blocked'),
    note,
  ],
  places: [title, ...placeParts, { key: 'without', label: 'Left out of it', kind: 'group', fields: placeParts }, note],
  standards: [title, { key: 'checks', label: 'Checks', kind: 'checks' }, note],
  schedules: [
    title,
    text('zone', 'Time zone', 'Atlantic/Reykjavik'),
    { key: 'hours', label: 'Open hours of a week', kind: 'week' },
    words('closed', 'Closed on', '2027-01-01'),
    { key: 'open', label: 'Other hours on', kind: 'pairs', hint: '2027-01-02 and 10:00-14:00' },
    note,
  ],
  proofs: [title, { key: 'any_of', label: 'Any one of', kind: 'combinations', hint: 'swk, fpt' }, note],
  notices: [title, text('version', 'Version', '1'), { key: 'text', label: 'Text', kind: 'long' }, note],
  signals: [
    title,
    choice('kind', 'Kind', 'signal-kinds'),
    { ...choice('of', 'Of', 'signal-facts'), when: ['kind', ['first-seen']] },
    { ...text('after', 'Once there are', 'so many to compare with: 3'), when: ['kind', ['first-seen']] },
    { ...text('above_kmh', 'Faster than, km/h', '900'), when: ['kind', ['travel-speed']] },
    { ...text('ignore_km', 'Not below, km', '50'), when: ['kind', ['travel-speed']] },
    { ...text('km', 'Farther than, km', '500'), when: ['kind', ['far-away']] },
    { ...text('at_least', 'At least so many', '5'), when: ['kind', ['failed-attempts']] },
    { ...text('within', 'Within', '10m'), when: ['kind', ['failed-attempts']] },
    ...history,
    note,
  ],
  'password-standards': [
    title,
    scope[0]!,
    scope[2]!,
    {
      key: 'must',
      label: 'A password must',
      kind: 'group',
      fields: [
        text('length', 'Have characters', '12'),
        text('classes', 'Of so many kinds', '3'),
        text('not_last', 'Be none of the last', '10'),
        text('max_age', 'Be changed after', '180d'),
        choice('not_contain_name', 'Not contain the name', ['yes', 'no']),
      ],
    },
    { key: 'lock', label: 'Guessing locks', kind: 'group', fields: [text('after', 'After tries', '5'), text('within', 'Within', '15m'), text('for', 'For', '30m')] },
    note,
  ],
  guarantees: [
    title,
    { key: 'for', label: 'Of which sign-ins', kind: 'group', fields: [{ ...scope[0]!, label: 'For whom' }, scope[1]!, { ...scope[2]!, label: 'To what' }, scope[3]!, operations] },
    { key: 'when', label: 'When', kind: 'condition' },
    // One bound alone: the other shows once this one is empty.
    { key: 'at_least', label: 'Never without', kind: 'effect', effects: ['require', 'block'], unless: 'at_most' },
    { ...choice('at_most', 'Never more than', 'bounds'), unless: 'at_least' },
    choice('who', 'Who counts', 'who', 'anyone'),
    choice('with_shadow', 'Shadow policies count too', ['yes', 'no'], 'no'),
    note,
  ],
  rehearsals: [title, { key: 'attempt', label: 'The attempt', kind: 'pairs', hint: 'person and ines.faro' }, { key: 'expect', label: 'Must be', kind: 'ticks', options: 'outcomes' }, { key: 'expect_open', label: 'Must be possible, and no more', kind: 'ticks', options: 'outcomes' }, note],
  apps: [title, choice('stance', 'When nothing is said', 'stances'), note],
  settings: [
    choice('stance', 'Apps that say nothing', 'stances', 'open'),
    { key: 'keyholders', label: 'Keyholders', kind: 'people' },
    text('contact', 'Contact for those blocked', 'access-help@kelpline.example'),
    { key: 'assume', label: 'Assumed where nobody reports it', kind: 'pairs', hint: 'risk.attempt and none' },
  ],
};
