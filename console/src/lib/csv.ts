/** The media type of what `csv` writes (RFC 4180). */
export const CSV = 'text/csv';

/** Rows as CSV, the heads first; no cell of it can be taken for a formula. */
export function csv(heads: string[], rows: string[][]): string {
  return [heads, ...rows].map((row) => `${row.map(quoted).join(',')}\r\n`).join('');
}

function quoted(cell: string): string {
  const text = /^[=+\-@\t\r]/.test(cell) ? `'${cell}` : cell;
  return `"${text.replaceAll('"', '""')}"`;
}
