// The flows of a replay laid out: outcomes of now on the left, those under the new rulebook on the right.
import { sankey, sankeyLinkHorizontal, type SankeyGraph } from 'd3-sankey';
import type { Flow } from '../../lib/api/types';

export interface Node {
  outcome: string;
  side: 'now' | 'then';
}
export interface Link {
  count: number;
  people: number;
  to: string;
}
const ORDER = ['allowed', 'challenged', 'blocked'];

/** Only what changes is drawn: what stays is so much more that nothing else could be seen beside it. */
export function laidOut(flows: Flow[], width: number, height: number): SankeyGraph<Node, Link> | null {
  const changing = flows.filter((flow) => flow.from !== flow.to);
  if (!changing.length) return null;
  const nodes: Node[] = [];
  for (const side of ['now', 'then'] as const)
    for (const outcome of ORDER)
      if (changing.some((flow) => (side === 'now' ? flow.from : flow.to) === outcome)) nodes.push({ outcome, side });
  const at = (side: 'now' | 'then', outcome: string) => nodes.findIndex((node) => node.side === side && node.outcome === outcome);
  const links = changing.map((flow) => ({
    source: at('now', flow.from),
    target: at('then', flow.to),
    value: flow.count ?? 0,
    count: flow.count ?? 0,
    people: flow.people ?? 0,
    to: flow.to,
  }));
  const order = (node: Node) => ORDER.indexOf(node.outcome);
  return sankey<Node, Link>()
    .nodeWidth(10)
    .nodePadding(26)
    .nodeSort((a, b) => order(a) - order(b))
    .extent([
      [1, 8],
      [width - 1, height - 6],
    ])({ nodes, links });
}

export const path = sankeyLinkHorizontal<Node, Link>();
