// The fields of an object that can be changed in place, and how each is typed.
import type { Noun } from '../../lib/api/inventory';

export interface Field {
  name: string;
  label: string;
  kind: 'text' | 'set' | 'flag' | 'words';
  words?: string[];
}

const text = (name: string, label: string): Field => ({ name, label, kind: 'text' });
const set = (name: string, label: string): Field => ({ name, label, kind: 'set' });
const flag = (name: string, label: string): Field => ({ name, label, kind: 'flag' });
const words = (name: string, label: string, ...given: string[]): Field => ({ name, label, kind: 'words', words: given });

export const FIELDS: Record<Noun, Field[]> = {
  people: [
    text('title', 'Name'), words('kind', 'Kind', 'employee', 'contractor', 'guest', 'service'), text('unit', 'Unit'), text('home', 'Organisation of a guest'),
    set('roles', 'Roles'), set('factors', 'Factors'), words('risk', 'Risk', 'none', 'low', 'medium', 'high'),
  ],
  groups: [text('title', 'Title'), set('member_of', 'Member of')],
  devices: [
    text('title', 'Title'), text('person', 'Belongs to'), words('owner', 'Whose it is', 'company', 'personal'), text('serial', 'Serial number'), text('platform', 'Platform'), text('os_version', 'OS version'),
    flag('managed', 'Managed'), flag('encrypted', 'Encrypted'), flag('screen_lock', 'Locks its screen'), flag('tampered', 'Tampered with'), flag('vetted', 'Vetted'),
  ],
  apps: [text('title', 'Title'), set('labels', 'Labels')],
  lists: [text('title', 'Title')],
};

/** A field as it is typed; empty when nothing is known. */
export function typedField(field: Field, value: unknown): string {
  if (value === undefined || value === null) return '';
  if (field.kind === 'flag') return value ? 'yes' : 'no';
  return Array.isArray(value) ? value.map((each) => (typeof each === 'string' ? each : String(each?.id ?? ''))).join(', ') : String(value);
}

/** What was typed as a value; null takes the field out. */
export function readField(field: Field, typed: string): unknown {
  const said = typed.trim();
  if (!said) return field.kind === 'set' ? [] : null;
  if (field.kind === 'flag') return said === 'yes';
  return field.kind === 'set' ? said.split(',').map((each) => each.trim()).filter(Boolean) : said;
}

/** What differs from how it was, field by field. */
export function changes(fields: Field[], document: Record<string, unknown>, typed: Record<string, string>): Record<string, unknown> {
  const found: Record<string, unknown> = {};
  for (const field of fields) {
    const now = typed[field.name] ?? '';
    if (now.trim() !== typedField(field, document[field.name])) found[field.name] = readField(field, now);
  }
  return found;
}

export const NOUNS: { noun: Noun; word: string; one: string }[] = [
  { noun: 'people', word: 'People', one: 'person' },
  { noun: 'groups', word: 'Groups', one: 'group' },
  { noun: 'devices', word: 'Devices', one: 'device' },
  { noun: 'apps', word: 'Apps', one: 'app' },
  { noun: 'lists', word: 'Address lists', one: 'address list' },
];
