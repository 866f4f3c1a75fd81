<script lang="ts">
  // One object of the inventory from all sides: its page depends on what it is.
  import type { Noun } from '../../lib/api/inventory';
  import MissingPage from '../enter/MissingPage.svelte';
  import AddressList from './AddressList.svelte';
  import App from './App.svelte';
  import Device from './Device.svelte';
  import Group from './Group.svelte';
  import Person from './Person.svelte';

  let { params }: { params: { noun: Noun; id: string } } = $props();
</script>

{#key `${params.noun} ${params.id}`}
  {#if params.noun === 'people'}<Person id={params.id} />
  {:else if params.noun === 'devices'}<Device id={params.id} />
  {:else if params.noun === 'apps'}<App id={params.id} />
  {:else if params.noun === 'groups'}<Group id={params.id} />
  {:else if params.noun === 'lists'}<AddressList id={params.id} />
  {:else}<MissingPage />{/if}
{/key}
