// The flows of a replay: what changes is laid out, what stays is not.
import { describe, expect, it } from 'vitest';
import { laidOut } from '../src/pages/replay/flows';

const flow = (from: string, to: string, count: number) => ({ from, to, count, people: 1, devices: 1 });

describe('flows', () => {
  it('lays out what changes alone, in the order of severity', () => {
    const graph = laidOut([flow('allowed', 'allowed', 9000), flow('challenged', 'blocked', 3), flow('allowed', 'blocked', 9)], 400, 200);
    expect(graph?.nodes.map((node) => [node.side, node.outcome, node.value])).toEqual([
      ['now', 'allowed', 9],
      ['now', 'challenged', 3],
      ['then', 'blocked', 12],
    ]);
    expect(graph?.links.map((link) => [link.count, link.to])).toEqual([[3, 'blocked'], [9, 'blocked']]);
    const [first, second] = graph?.nodes ?? [];
    expect(first?.y1 ?? 0).toBeLessThanOrEqual(second?.y0 ?? 0);
  });

  it('draws nothing where nothing changes', () => {
    expect(laidOut([flow('blocked', 'blocked', 4)], 400, 200)).toBeNull();
    expect(laidOut([], 400, 200)).toBeNull();
  });
});
