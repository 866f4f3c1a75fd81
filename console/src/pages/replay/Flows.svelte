<script lang="ts">
  // From which outcome to which: the flows that change, drawn; what stays is told.
  import type { Flow } from '../../lib/api/types';
  import { count, number } from '../../lib/format';
  import Mark from '../../lib/parts/Mark.svelte';
  import { laidOut, path } from './flows';

  let { flows }: { flows: Flow[] } = $props();
  const WIDTH = 640;
  const HEIGHT = 230;
  const MARGIN = 130;
  const SIDE = (MARGIN * 100) / WIDTH;
  const COLOURS: Record<string, string> = { allowed: 'text-allowed', challenged: 'text-challenged', blocked: 'text-blocked' };
  const graph = $derived(laidOut(flows, WIDTH - 2 * MARGIN, HEIGHT));
  const stay = $derived(flows.filter((flow) => flow.from === flow.to).reduce((sum, flow) => sum + (flow.count ?? 0), 0));
  const said = $derived(
    flows.filter((flow) => flow.from !== flow.to).map((flow) => `${count(flow.count ?? 0, 'sign-in')} ${flow.from} to ${flow.to}`).join(', '),
  );
</script>

{#if graph}
  <div class="relative max-w-3xl" style:height="{HEIGHT}px" role="group" aria-label="From outcome to outcome: {said}">
    <svg viewBox="0 0 {WIDTH - 2 * MARGIN} {HEIGHT}" preserveAspectRatio="none" class="absolute inset-y-0 h-full" style:left="{SIDE}%" style:width="{100 - 2 * SIDE}%" aria-hidden="true">
      {#each graph.links as link, i (i)}
          <path d={path(link) ?? ''} fill="none" class={COLOURS[link.to]} stroke="currentColor" stroke-opacity="0.35" stroke-width={Math.max(1.5, link.width ?? 0)}>
            <title>{count(link.count, 'sign-in')} of {count(link.people, 'person', 'people')}</title>
          </path>
        {/each}
      {#each graph.nodes as node (node.side + node.outcome)}
          <rect x={node.x0} y={node.y0} width={(node.x1 ?? 0) - (node.x0 ?? 0)} height={Math.max(2, (node.y1 ?? 0) - (node.y0 ?? 0))} class="fill-ink" />
        {/each}
    </svg>
    <!-- The words beside the drawing, and not in it: they keep their size, and stand on plain ground. -->
    {#each graph.nodes as node (node.side + node.outcome)}
      {@const left = node.side === 'now'}
      <p
        class="absolute -translate-y-1/2 text-small leading-tight {left ? 'text-right' : ''}"
        style:top="{((node.y0 ?? 0) + (node.y1 ?? 0)) / 2}px"
        style:left={left ? '0' : `${100 - SIDE + 1}%`}
        style:width="{SIDE - 1}%"
      >
        <Mark value={node.outcome} /><span class="block text-fine text-muted tabular-nums">{number(node.value ?? 0)} {left ? 'now' : 'then'}</span>
      </p>
    {/each}
  </div>
{/if}
<p class="text-small text-muted">{count(stay, 'sign-in')} {stay === 1 ? 'stays' : 'stay'} as {stay === 1 ? 'it is' : 'they are'}.</p>
