// The lines of two texts as a reader wants them: what stayed, what went, what came.
export interface Line {
  kind: 'same' | 'gone' | 'new';
  text: string;
}

/** Longest common subsequence by lines; objects are small. */
export function difference(before: string, after: string): Line[] {
  const a = before ? before.replace(/\n$/, '').split('\n') : [];
  const b = after ? after.replace(/\n$/, '').split('\n') : [];
  const longest = Array.from({ length: a.length + 1 }, () => new Array<number>(b.length + 1).fill(0));
  const at = (i: number, j: number) => longest[i]?.[j] ?? 0;
  for (let i = a.length - 1; i >= 0; i--)
    for (let j = b.length - 1; j >= 0; j--)
      longest[i]![j] = a[i] === b[j] ? at(i + 1, j + 1) + 1 : Math.max(at(i + 1, j), at(i, j + 1));
  const lines: Line[] = [];
  let i = 0;
  let j = 0;
  while (i < a.length || j < b.length) {
    if (i < a.length && j < b.length && a[i] === b[j]) {
      lines.push({ kind: 'same', text: a[i] ?? '' });
      i++;
      j++;
    } else if (i < a.length && (j === b.length || at(i + 1, j) >= at(i, j + 1))) lines.push({ kind: 'gone', text: a[i++] ?? '' });
    else lines.push({ kind: 'new', text: b[j++] ?? '' });
  }
  return lines;
}
