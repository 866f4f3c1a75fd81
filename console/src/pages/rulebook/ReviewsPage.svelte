<script lang="ts">
  // Policies with their last reviews, those that are due first; an owner sees theirs.
  import { router } from 'svelte-spa-router';
  import { sheets } from '../../lib/api/inventory';
  import type { ReviewList } from '../../lib/api/types';
  import { count } from '../../lib/format';
  import Heading from '../../lib/parts/Heading.svelte';
  import ListTable from '../../lib/parts/ListTable.svelte';
  import Mark from '../../lib/parts/Mark.svelte';
  import { Load } from '../../lib/state/load.svelte';

  let owner = $state(new URLSearchParams(router.querystring ?? '').get('owner') ?? '');
  const all = new Load<ReviewList>();
  const load = () => void all.run((signal) => sheets.due('', signal));
  load();
  const owners = $derived([...new Set((all.value?.items ?? []).map((each) => each.owner).filter(Boolean))].sort());
  const items = $derived((all.value?.items ?? []).filter((each) => !owner || each.owner === owner));
  const open = $derived(items.filter((each) => each.state !== 'good').length);
  const STATES: Record<string, string> = { due: 'due again', changed: 'changed since', never: 'never reviewed', good: 'reviewed as it is' };
</script>

<Heading place="Rulebook · reviews">
  {#if all.value}{open ? `${open} of ${count(items.length, 'policy', 'policies')} ${open === 1 ? 'waits' : 'wait'} for a review.` : 'Every policy was reviewed as it is.'}{:else}{all.problem ? 'The reviews cannot be shown.' : 'Loading …'}{/if}
  {#snippet aside()}<a class="action" href="#/sheets">All sheets</a>{/snippet}
</Heading>
<p class="mb-3 text-small"><label>Owner <select class="field inline-block w-auto" bind:value={owner}><option value="">everybody</option>{#each owners as each (each)}<option>{each}</option>{/each}</select></label></p>
<ListTable list={all} {items} key={(each) => each.policy} label="Reviews" width="44rem" again={load} columns={['Policy', 'Owner', 'Mode', 'State', 'Last', 'Due again']}>
  {#snippet none()}<p>There are no policies.</p>{/snippet}
  {#snippet row(each)}
    <td><a data-row href="#/rulebook/policy/{encodeURIComponent(each.policy)}/sheet">{each.title}</a></td>
    <td>{each.owner}</td><td><Mark value={each.mode} size={10} /></td>
    <td class:font-semibold={each.state !== 'good'}>{STATES[each.state] ?? each.state}</td>
    <td>{each.last ? `${each.last.at.slice(0, 10)} by ${each.last.by}` : ''}</td>
    <td>{each.last?.again.slice(0, 10) ?? ''}</td>
  {/snippet}
</ListTable>
