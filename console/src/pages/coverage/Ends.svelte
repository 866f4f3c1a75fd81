<script lang="ts">
  // The mildest and the strictest outcome of a cell: one shape where they are the same. What stands out: a password
  // alone is enough with no rule asking for more.
  import type { GridCell } from '../../lib/api/types';
  import Mark from '../../lib/parts/Mark.svelte';
  import Shape from '../../lib/parts/Shape.svelte';

  let { cell, password, words = false }: { cell: GridCell; password: boolean; words?: boolean } = $props();
  const ends = $derived([...new Set([cell.possible[0], cell.possible.at(-1)])].filter((each) => each !== undefined));
  const bare = $derived(password && (cell.by_stance ?? []).includes('allowed'));
  const COLOURS: Record<string, string> = { allowed: 'text-allowed', challenged: 'text-challenged', blocked: 'text-blocked' };
</script>

<span class="inline-flex items-baseline gap-1 whitespace-nowrap">
  {#each ends as end, i (end)}
    {#if words}{i ? ' to ' : ''}<Mark value={end} size={10} />{:else}<span class={COLOURS[end]}><Shape name={end} size={13} /></span><span class="sr-only">{i ? 'to ' : ''}{end}</span>{/if}
  {:else}<span class="text-muted" aria-hidden="true">–</span><span class="sr-only">nobody</span>{/each}
  {#if bare}<span class="font-bold" aria-hidden="true">!</span><span class="sr-only">, with a password alone: no rule asks for more in some case</span>{/if}
</span>
