<script lang="ts">
  // Who accepted which version of which notice, when, and at which door.
  import { onMount } from 'svelte';
  import { api } from '../../lib/api/client';
  import type { AcceptanceInfo, AcceptanceList } from '../../lib/api/types';
  import { count, linkTo, moment, number } from '../../lib/format';
  import { rows } from '../../lib/keys';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
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

{#if list.problem}
  <Failing problem={list.problem} again={load} />
{:else if !list.value}
  <Waiting lines={6} />
{:else if shown.length}
  <!-- svelte-ignore a11y_no_noninteractive_tabindex: a region that scrolls must be reachable by keyboard -->
  <div class="relative overflow-x-auto" {@attach rows} tabindex="0" role="region" aria-label="Acceptances">
    <table class="ruled min-w-[40rem]">
      <thead><tr><th>Person</th><th>Notice</th><th>Version</th><th>Accepted (UTC)</th><th>Door</th></tr></thead>
      <tbody>
        {#each shown as found (found.signin + found.notice)}
          <tr class="hover:bg-sunk">
            <td><a data-row href="#/signins/{encodeURIComponent(found.signin)}" aria-label="Trace how {found.person} accepted it">{found.person}</a></td>
            <td><a href={linkTo('notice', found.notice)}>{found.notice}</a></td>
            <td class="tabular-nums">{found.version}</td>
            <td class="whitespace-nowrap tabular-nums">{moment(found.accepted)}</td>
            <td>{found.door}</td>
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
  <p class="mt-3 flex items-center gap-3 text-small text-muted">
    {number(shown.length)} of {number(list.value.total)} shown.
    {#if list.value.next}<button class="action" onclick={further}>Show further</button>{/if}
  </p>
{:else}
  <p>Here will be who accepted which version of a notice. Doors hand acceptances on; each is kept once, and counts until the notice gets another version.</p>
{/if}
