// How moments, numbers and values are written, everywhere the same.
import type { Piece } from './api/types';

const whole = new Intl.NumberFormat('en');

export function count(number: number, word: string, many = `${word}s`): string {
  return `${whole.format(number)} ${number === 1 ? word : many}`;
}

/** The path at which a policy begins that nobody has named yet; its number follows. */
export const UNNAMED = 'policies.new-policy-';

// Letters that are no others with a mark.
const LETTERS: Record<string, string> = { ø: 'o', æ: 'ae', œ: 'oe', ß: 'ss', ð: 'd', þ: 'th', ł: 'l', đ: 'd' };

/** The id that follows from a title: small letters, digits and hyphens, a letter first. */
export function idFor(title: string): string {
  const plain = title.normalize('NFKD').replace(/\p{M}/gu, '').toLowerCase().replace(/[øæœßðþłđ]/g, (letter) => LETTERS[letter] ?? letter);
  return plain.replace(/[^a-z0-9]+/g, '-').replace(/^[^a-z]+/, '').slice(0, 60).replace(/-$/, '');
}

export function number(value: number): string {
  return whole.format(value);
}

/** A moment as `2026-11-22 07:10`, in UTC as the log has it. */
export function moment(text: string): string {
  return new Date(text).toISOString().slice(0, 16).replace('T', ' ');
}

/** Whether a text is a day as pages write them, `2026-11-22`, and there is such a day. */
export function isDay(text: string): boolean {
  const day = /^\d{4}-\d{2}-\d{2}$/.test(text) ? new Date(`${text}T00:00:00Z`) : null;
  return day !== null && !Number.isNaN(day.getTime()) && day.toISOString().startsWith(text);
}

export function plain(pieces: Piece[]): string {
  return pieces.map((piece) => piece.text).join('');
}

/** A duration in seconds as `12h` or `30m`. */
export function duration(seconds: number): string {
  for (const [unit, length] of [['d', 86400], ['h', 3600], ['m', 60]] as const)
    if (seconds >= length && seconds % length === 0) return `${seconds / length}${unit}`;
  return `${seconds}s`;
}

/** A fact's JSON value as it would be typed. */
export function typed(value: unknown): string {
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (Array.isArray(value)) return value.join(', ');
  if (value !== null && typeof value === 'object')
    return Object.entries(value)
      .map(([name, age]) => (age === null ? name : `${name}:${age}s`))
      .join(', ');
  return String(value);
}

export function keepText(keep: Record<string, number | boolean>): string {
  return Object.entries(keep)
    .map(([name, value]) => `${name.replaceAll('_', ' ')}${typeof value === 'number' ? ` ${duration(value)}` : ''}`)
    .join(', ');
}

/** Where a named thing lives in the console; empty when it has no page. */
export function linkTo(kind: string, id: string): string {
  const quoted = encodeURIComponent(id);
  if (kind === 'draft') return `#/drafts/${quoted}`;
  if (kind === 'policy') return `#/rulebook/policy/${quoted}`;
  if (['place', 'standard', 'schedule', 'proof', 'notice', 'signal'].includes(kind)) return `#/rulebook/${kind}/${quoted}`;
  const noun = { person: 'people', app: 'apps', device: 'devices', group: 'groups', list: 'lists' }[kind];
  if (noun) return `#/inventory/${noun}/${quoted}`;
  if (kind === 'signin') return `#/signins/${quoted}`;
  return '';
}
