<script lang="ts">
  // Who accepted which version of which notice, when, and at which door.
  import { onMount } from 'svelte';
  import { api } from '../../lib/api/client';
  import type { AcceptanceInfo, AcceptanceList } from '../../lib/api/types';
  import { count, linkTo, moment, number } from '../../lib/format';
  import Heading from '../../lib/parts/Heading.svelte';
  import ListTable from '../../lib/parts/ListTable.svelte';
  import { Load } from '../../lib/state/load.svelte';

  const list = new Load<AcceptanceList>();
  let earlier = $state<AcceptanceInfo[]>([]);
  const load = () => void list.run((signal) => api.acceptances({}, signal));
  onMount(load);
  const shown = $derived([...earlier, ...(list.value?.items ?? [])]);

  async function further(): Promise<void> {
    const before = shown;
    await list.run((signal) => api.acceptances({ after: String(list.value?.next ?? '') }, signal));
    if (!list.problem) earlier = before;
  }
</script>

<Heading place="Settings · Acceptances">
  {#if list.value}
    {list.value.total ? `${count(list.value.total, 'acceptance')} of notices.` : 'Nobody has accepted a notice.'}
  {:else}{list.problem ? 'The acceptances cannot be shown.' : 'Looking who accepted what …'}{/if}
  {#snippet aside()}
    {#if list.value?.total}
      <a class="action" href="/api/v1/acceptances/export?format=csv" download>All as CSV</a>
      <a class="action" href="/api/v1/acceptances/export" download>All as NDJSON</a>
    {/if}
  {/snippet}
</Heading>

<ListTable
  {list}
  items={shown}
  key={(found) => found.signin + found.notice}
  label="Acceptances"
  width="40rem"
  lines={6}
  again={load}
  columns={['Person', 'Notice', 'Version', 'Accepted (UTC)', 'Door']}
>
  {#snippet none()}
    <p>Here will be who accepted which version of a notice. Doors hand acceptances on; each is kept once, and counts until the notice gets another version.</p>
  {/snippet}
  {#snippet row(found)}
    <td><a data-row href="#/signins/{encodeURIComponent(found.signin)}" aria-label="Trace how {found.person} accepted it">{found.person}</a></td>
    <td><a href={linkTo('notice', found.notice)}>{found.notice}</a></td>
    <td class="tabular-nums">{found.version}</td>
    <td class="whitespace-nowrap">{moment(found.accepted)}</td>
    <td>{found.door}</td>
  {/snippet}
</ListTable>
{#if shown.length && !list.problem}
  <p class="mt-3 flex items-center gap-3 text-small text-muted">
    {number(shown.length)} of {number(list.value?.total ?? shown.length)} shown.
    {#if list.value?.next}<button class="action" onclick={further}>Show further</button>{/if}
  </p>
{/if}
