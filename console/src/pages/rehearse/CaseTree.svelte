<script lang="ts">
  // The tree of cases, drawn: under each question its two answers; the path that is followed stands out.
  import type { CaseNode } from '../../lib/api/types';
  import Shape from '../../lib/parts/Shape.svelte';
  import { layout, type Placed } from './tree';

  let { tree, path, follow }: { tree: CaseNode; path: string; follow: (path: string) => void } = $props();
  const IN = 34;
  const ROW = 32;
  const LETTER = 7.3;
  const nodes = $derived(layout(tree));
  const rows = $derived(new Map(nodes.map((each) => [each.path, each.row])));
  const x = (each: Placed) => 8 + each.depth * IN;
  // The answer that leads to it stands in front.
  const answer = (each: Placed) => (!each.path ? '' : each.path.endsWith('y') ? 'yes' : 'no');
  const before = (each: Placed) => (each.path ? 30 : 0);
  const y = (row: number) => 20 + row * ROW;
  const on = (each: Placed) => path.startsWith(each.path) || each.path.startsWith(path);
  const said = (each: Placed) => each.node.possible.join(' or ');
  const short = (text: string) => (text.length > 64 ? `${text.slice(0, 63)}…` : text);
  const text = (each: Placed) => (each.node.asks ? `${short(each.node.asks)}?` : said(each));
  const width = (each: Placed) => before(each) + text(each).length * LETTER + (each.node.asks ? 16 : 20 + each.node.possible.length * 16);
  const wide = $derived(Math.max(...nodes.map((each) => x(each) + width(each))) + 8);

  function key(event: KeyboardEvent, each: Placed): void {
    if (event.key !== 'Enter' && event.key !== ' ') return;
    event.preventDefault();
    follow(each.path);
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex: a region that scrolls must be reachable by keyboard -->
<div class="max-h-[34rem] overflow-auto border border-rule bg-raised" tabindex="0" role="region" aria-label="The cases, drawn">
  <svg width={wide} height={nodes.length * ROW + 8} class="block" role="group" aria-label="The tree of questions">
    {#each nodes as each (each.path)}
      {#if each.path}
        <g class={on(each) ? 'text-ink' : 'text-rule-strong'}>
          <path d="M{x(each) - IN + 14} {y(rows.get(each.path.slice(0, -1)) ?? 0) + 12} V{y(each.row)} H{x(each)}" fill="none" stroke="currentColor" stroke-width={on(each) && path ? 2 : 1} />
        </g>
      {/if}
    {/each}
    {#each nodes as each (each.path)}
      <g
        role="button"
        tabindex="0"
        class="cursor-pointer {on(each) ? '' : 'opacity-45'}"
        aria-pressed={each.path === path && path !== ''}
        onclick={() => follow(each.path)}
        onkeydown={(event) => key(event, each)}
      >
        <rect x={x(each)} y={y(each.row) - 12} width={width(each)} height="24" class="fill-paper {each.path === path && path ? 'stroke-ink' : 'stroke-rule'}" />
        {#if !each.node.asks}
          {#each each.node.possible as outcome, i (outcome)}
            <svg x={x(each) + 8 + before(each) + i * 16} y={y(each.row) - 6} width="12" height="12" class={outcome === 'allowed' ? 'text-allowed' : outcome === 'blocked' ? 'text-blocked' : 'text-challenged'}><Shape name={outcome} size={12} /></svg>
          {/each}
        {/if}
        {#if each.path}<text x={x(each) + 8} y={y(each.row) + 4} class="fill-muted text-fine">{`${answer(each)} `}</text>{/if}
        <text x={x(each) + before(each) + (each.node.asks ? 8 : 12 + each.node.possible.length * 16)} y={y(each.row) + 4} class="fill-ink {each.node.asks ? 'font-mono text-fine' : 'text-small'}">{text(each)}</text>
      </g>
    {/each}
  </svg>
</div>
