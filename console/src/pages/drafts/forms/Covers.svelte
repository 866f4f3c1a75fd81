<script lang="ts">
  // How many people and apps a policy is about, and on request which.
  import { api } from '../../../lib/api/client';
  import type { Covered, CoveredPage } from '../../../lib/api/types';
  import { count } from '../../../lib/format';
  import { Load } from '../../../lib/state/load.svelte';

  let { draft, path, covers }: { draft: string; path: string; covers: Covered } = $props();
  let side = $state('');
  const page = new Load<CoveredPage>();
  $effect(() => {
    void covers;
    if (side) void page.run((signal) => api.covers(draft, path, side, '', signal));
  });

  function more(): void {
    const before = page.value;
    if (!before?.following) return;
    const after = before.following;
    void page.run(async (signal) => {
      const next = await api.covers(draft, path, side, after, signal);
      return { ...next, items: [...before.items, ...next.items] };
    });
  }
</script>

<p class="mt-2 text-small" data-covers>
  It covers
  <button type="button" class="text-accent underline underline-offset-3" aria-expanded={side === 'people'} onclick={() => (side = side === 'people' ? '' : 'people')}>{count(covers.people, 'person', 'people')}</button>
  and <button type="button" class="text-accent underline underline-offset-3" aria-expanded={side === 'apps'} onclick={() => (side = side === 'apps' ? '' : 'apps')}>{count(covers.apps, 'app')}</button>.
</p>
{#if side && page.value}
  <ul class="mt-1 max-h-56 overflow-y-auto border border-rule bg-raised px-2 py-1 text-small" aria-label="Which {side} it covers">
    {#each page.value.items as each (each.id)}<li><span class="font-mono text-fine">{each.id}</span> {each.title}{#if each.note}<span class="text-fine text-challenged">&nbsp;{each.note}</span>{/if}</li>{:else}<li class="text-muted">none</li>{/each}
    {#if page.value.following}<li><button type="button" class="text-accent underline" onclick={more}>more</button></li>{/if}
  </ul>
{/if}
