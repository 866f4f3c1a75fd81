// The lines of two texts as a reader wants them: what stayed, what went, what came.
import { diffLines } from 'diff';

export interface Line {
  kind: 'same' | 'gone' | 'new';
  text: string;
}

export function difference(before: string, after: string): Line[] {
  return diffLines(before, after).flatMap(({ added, removed, value }) =>
    value
      .replace(/\n$/, '')
      .split('\n')
      .map((text): Line => ({ kind: removed ? 'gone' : added ? 'new' : 'same', text })),
  );
}
