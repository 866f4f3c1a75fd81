// What the coverage grid says in words, and the condition that its context is made of.
import type { CoverageGrid, GridCell } from '../../lib/api/types';
import { count } from '../../lib/format';

/** Parts of a context as one condition; what has an `or` in it stands in brackets. */
export function condition(...parts: string[]): string {
  const said = parts.map((part) => part.trim()).filter(Boolean);
  return said.length > 1 ? said.map((part) => (/\bor\b/.test(part) ? `(${part})` : part)).join(' and ') : (said[0] ?? '');
}

/** Whether a password alone is enough somewhere, with no rule asking for more. */
export const bare = (cell: GridCell, password: boolean): boolean => password && (cell.by_stance ?? []).includes('allowed');

export const moved = (cell: GridCell): boolean => cell.instead !== null && cell.instead !== undefined;

/** A cell for those who read by ear. */
export function link(cell: GridCell): string {
  const said = (possible: string[]) => (possible.length ? [...new Set([possible[0], possible.at(-1)])].join(' to ') : 'nobody');
  return `${said(cell.possible)}${cell.instead ? `, then ${said(cell.instead)}` : ''}`;
}

/** The grid in one sentence: its holes, or what a draft changes. */
export function summary(grid: CoverageGrid, against: string): string {
  if (against) return `${grid.changed} of ${count(grid.rows.length * grid.apps.length, 'cell')} ${grid.changed === 1 ? 'is' : 'are'} different in the draft ${against}.`;
  if (!grid.password_alone) return `What ${count(grid.rows.length, 'audience')} can meet at ${count(grid.apps.length, 'app')}.`;
  const everyone = grid.rows[0];
  const open = grid.apps.filter((_, i) => everyone?.cells[i] && bare(everyone.cells[i], true)).map((app) => app.title);
  if (!open.length) return 'Nowhere is a password alone enough with no rule asking for more.';
  return `At ${count(open.length, 'app')} of ${grid.apps.length} somebody gets in with a password alone, and no rule asks for more.`;
}
