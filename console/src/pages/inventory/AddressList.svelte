<script lang="ts">
  // An address list: its networks, and the places that use it.
  import { inventory } from '../../lib/api/inventory';
  import type { ListProfile } from '../../lib/api/types';
  import { count } from '../../lib/format';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { Load } from '../../lib/state/load.svelte';

  let { id }: { id: string } = $props();
  const profile = new Load<ListProfile>();
  const load = () => void profile.run((signal) => inventory.addresses(id, signal));
  $effect(load);
</script>

<Heading place="Address list · {id}">
  {#if profile.value}{profile.value.item.title || id} holds {count(profile.value.count, 'network')}; {profile.value.places.length ? `${count(profile.value.places.length, 'place')} ${profile.value.places.length === 1 ? 'uses' : 'use'} it` : 'no place uses it'}.
  {:else}{profile.problem ? 'This list cannot be shown.' : 'Loading …'}{/if}
</Heading>
{#if profile.value?.item.kept_by}<p class="mb-4 text-small text-muted wrap-anywhere">Kept by {profile.value.item.kept_by}: it is changed there.</p>{/if}
{#if profile.problem}<Failing problem={profile.problem} again={load} />
{:else if !profile.value}<Waiting lines={6} />
{:else}
  {#if profile.value.places.length}<p class="mb-4">Used by {#each profile.value.places as place, i (place.id)}{i ? ', ' : ''}<a href="#/rulebook/place/{encodeURIComponent(place.id)}">{place.title}</a>{/each}.</p>{/if}
  <ul class="columns-[14rem] font-mono text-small">{#each profile.value.networks as network (network)}<li>{network}</li>{/each}</ul>
  {#if profile.value.count > profile.value.networks.length}<p class="mt-2 text-small text-muted">The first {profile.value.networks.length}; all of them by <span class="font-mono">caddrel lists export</span>.</p>{/if}
{/if}
