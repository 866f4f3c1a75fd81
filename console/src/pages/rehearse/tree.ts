// Where the nodes of a tree of cases stand: a row each, further in with every answer.
import type { CaseNode } from '../../lib/api/types';

export interface Placed {
  node: CaseNode;
  /** The answers from the root: `y` and `n`, a letter each. */
  path: string;
  depth: number;
  row: number;
}

export function layout(root: CaseNode): Placed[] {
  const nodes: Placed[] = [];
  const place = (node: CaseNode, path: string): void => {
    nodes.push({ node, path, depth: path.length, row: nodes.length });
    // What is at its end first: a chain of questions reads downwards then.
    const sides = [
      ['y', node.yes],
      ['n', node.no],
    ] as const;
    const ends = ([, side]: (typeof sides)[number]) => (side?.asks ? 1 : 0);
    for (const [letter, side] of [...sides].sort((a, b) => ends(a) - ends(b))) if (side) place(side, path + letter);
  };
  place(root, '');
  return nodes;
}

/** The questions on a path, each with its answer. */
export function steps(root: CaseNode, path: string): { node: CaseNode; yes: boolean; path: string }[] {
  const found = [];
  let node: CaseNode | null | undefined = root;
  for (let i = 0; i < path.length && node; i++) {
    const yes = path[i] === 'y';
    found.push({ node, yes, path: path.slice(0, i + 1) });
    node = yes ? node.yes : node.no;
  }
  return found;
}

export function at(root: CaseNode, path: string): CaseNode | null {
  let node: CaseNode | null = root;
  for (const letter of path) node = (letter === 'y' ? node?.yes : node?.no) ?? null;
  return node;
}
