<script lang="ts">
  // Before a person and an app are chosen: rehearsals that are kept, and recent blocks, to start from.
  import { onMount } from 'svelte';
  import { api } from '../../lib/api/client';
  import type { RehearsalInfo, SigninPage } from '../../lib/api/types';
  import { moment, typed } from '../../lib/format';
  import { Load } from '../../lib/state/load.svelte';

  let { draft }: { draft: string } = $props();
  const kept = new Load<RehearsalInfo[]>();
  const blocks = new Load<SigninPage>();
  onMount(() => {
    void kept.run(async (signal) => (await api.keptRehearsals(draft, signal)).items);
    void blocks.run((signal) => api.signins({ outcome: 'blocked', where: 'reason is not credentials', limit: '5' }, signal));
  });
  const link = (given: Record<string, unknown>) =>
    `#/rehearse?${new URLSearchParams({ ...Object.fromEntries(Object.entries(given).map(([name, value]) => [name, typed(value)])), ...(draft ? { draft } : {}) }).toString()}`;
</script>

<p class="mb-4 max-w-prose">Choose who, and what they open. The answer says what can happen to them there, and on what exactly that turns; every fact that you add narrows it.</p>
{#if kept.value?.length}
  <h2 class="mb-1 border-b border-rule pb-1 font-semibold">Rehearsals that are kept</h2>
  <ul class="mb-6">
    {#each kept.value.slice(0, 3) as each (each.id)}<li class="py-0.5"><a href={link(each.attempt)}>{each.title}</a> <span class="text-fine text-muted">must be {each.expect}</span></li>{/each}
  </ul>
{/if}
{#if blocks.value?.items.length}
  <h2 class="mb-1 border-b border-rule pb-1 font-semibold">Blocked of late</h2>
  <ul>
    {#each blocks.value.items as row (row.id)}
      <li class="py-0.5"><a href={link({ 'person.id': row.person ?? '', 'app.id': row.app ?? '' })}>{row.person} · {row.app}</a> <span class="text-fine text-muted">{moment(row.at)}, by {row.policy ?? 'no policy'}</span></li>
    {/each}
  </ul>
{/if}
