<script lang="ts">
  // Codes with which people enrol who have nothing to prove themselves with yet: one person, one time, one use.
  import { onMount } from 'svelte';
  import { api } from '../../lib/api/client';
  import type { StarterCodeInfo, StarterCodeList, StarterCodeMade } from '../../lib/api/types';
  import { count, moment } from '../../lib/format';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import ListTable from '../../lib/parts/ListTable.svelte';
  import { Act } from '../../lib/state/act.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import { session } from '../../lib/state/session.svelte';
  import InventoryBox from '../../lib/parts/InventoryBox.svelte';
  import Made from './Made.svelte';

  const LASTS = { '1h': 'an hour', '8h': 'eight hours', '24h': 'a day', '7d': 'a week' };
  const list = new Load<StarterCodeList>();
  let made = $state<StarterCodeMade | null>(null);
  const doing = new Act();
  let person = $state('');
  let starts = $state('');
  let lasts = $state('24h');
  const load = () => void list.run((signal) => api.starterCodes(signal));
  onMount(load);

  // As of what is shown, not of when the page was opened.
  const now = $derived(list.value ? new Date().toISOString() : '');
  const mayIssue = $derived(session.info?.role === 'operator');
  const standing = (code: StarterCodeInfo) =>
    code.used ? 'used' : code.revoked ? 'revoked' : code.ends <= now ? 'ran out' : code.starts > now ? 'not yet' : 'waits to be used';
  const waiting = $derived((list.value?.items ?? []).filter((code) => standing(code) === 'waits to be used').length);

  const revoke = (code: StarterCodeInfo) => doing.run(async () => (list.value = await api.revokeStarterCode(code.id)));

  async function issue(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    await doing.run(async () => {
      made = await api.issueStarterCode(person.trim(), starts ? `${starts.replace(' ', 'T')}:00Z` : '', lasts);
      person = '';
    });
    load();
  }
</script>

<Heading place="Settings · Starter codes">
  {#if list.value}
    {list.value.items.length ? `${count(waiting, 'starter code')} ${waiting === 1 ? 'waits' : 'wait'} to be used.` : 'No starter code has been issued.'}
  {:else}{list.problem ? 'The starter codes cannot be shown.' : 'Looking which codes there are …'}{/if}
</Heading>

{#if made}<Made says={`The code for ${made.info.person} is good until ${moment(made.info.ends)} UTC, once.`} secret={made.code} done={() => (made = null)} />{/if}
{#if mayIssue}
  <form class="mb-6 flex max-w-4xl flex-wrap items-end gap-3 border border-rule bg-raised p-4" onsubmit={issue}>
    <div class="min-w-56 flex-1 text-small"><label for="starter-person">For whom</label><InventoryBox id="starter-person" noun="people" value={person} wrong="" set={(text) => (person = text)} /></div>
    <label class="text-small">From (UTC; empty: now)<input class="field" inputmode="numeric" placeholder="2026-12-01 07:00" pattern="\d{'{4}'}-\d{'{2}'}-\d{'{2}'}[ T]\d{'{2}'}:\d{'{2}'}" title="A day and a time, such as 2026-12-01 07:00" bind:value={starts} /></label>
    <div class="text-small">
      <label for="starter-lasts">For</label>
      <select id="starter-lasts" class="field" bind:value={lasts}>
        {#each Object.entries(LASTS) as [id, word] (id)}<option value={id}>{word}</option>{/each}
      </select>
    </div>
    <button class="action">Issue a code</button>
  </form>
{/if}
{#if doing.refused}<div class="mb-4"><Failing problem={doing.refused} /></div>{/if}
<ListTable
  {list}
  items={list.value?.items ?? []}
  key={(code) => code.id}
  label="Starter codes"
  lines={6}
  again={load}
  columns={['For', 'From (UTC)', 'To', 'Issued by', 'State', '(Revoke it)']}
>
  {#snippet none()}
    <p>Here will be the codes, for whom and when, and what used them. The code itself is shown once, when it is issued.</p>
  {/snippet}
  {#snippet row(code)}
    <td><a href="#/signins?person={encodeURIComponent(code.person)}">{code.person}</a></td>
    <td class="whitespace-nowrap">{moment(code.starts)}</td>
    <td class="whitespace-nowrap">{moment(code.ends)}</td>
    <td>{code.issued_by}</td>
    <td>{#if code.used_for}<a data-row href="#/signins/{encodeURIComponent(code.used_for)}">{standing(code)} {moment(code.used ?? '')}</a>{:else}{standing(code)}{/if}</td>
    <td class="text-right">{#if mayIssue && ['waits to be used', 'not yet'].includes(standing(code))}<button class="action" aria-label="Revoke the code for {code.person}" onclick={() => revoke(code)}>Revoke</button>{/if}</td>
  {/snippet}
</ListTable>
