<script lang="ts">
  // Every change and refusal, newest first; the chain of hashes is proved whole when asked.
  import { onMount } from 'svelte';
  import { replace, router } from 'svelte-spa-router';
  import { api, Failure } from '../../lib/api/client';
  import type { AuditEntry, AuditPage, AuditVerdict, Problem } from '../../lib/api/types';
  import { moment, number } from '../../lib/format';
  import { rows } from '../../lib/keys';
  import Failing from '../../lib/parts/Failing.svelte';
  import Sentence from '../../lib/parts/Sentence.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { Load } from '../../lib/state/load.svelte';

  const list = new Load<AuditPage>();
  let earlier = $state<AuditEntry[]>([]);
  let verdict = $state<AuditVerdict | null>(null);
  let refused = $state<Problem | null>(null);
  const search = $derived(new URLSearchParams(router.querystring ?? '').get('search') ?? '');
  let text = $derived(search);
  const load = (before = 0) => list.run((signal) => api.audit({ search, before: before ? String(before) : '' }, signal));
  onMount(() => void load());
  const shown = $derived([...earlier, ...(list.value?.items ?? [])]);

  function find(event: SubmitEvent): void {
    event.preventDefault();
    earlier = [];
    void Promise.resolve(replace(`/settings/audit${text ? `?search=${encodeURIComponent(text)}` : ''}`)).then(() => load());
  }
  async function further(): Promise<void> {
    const before = shown;
    await load(list.value?.next ?? 0);
    if (!list.problem) earlier = before;
  }
  async function verify(): Promise<void> {
    refused = null;
    try {
      verdict = await api.verifyAudit();
    } catch (error) {
      if (!(error instanceof Failure)) throw error;
      refused = error.problem;
    }
  }
</script>

<Heading place="Settings · Audit">
  {#if verdict}
    {verdict.whole ? `The audit trail is whole: ${number(verdict.entries)} entries.` : `The audit trail was changed at entry ${verdict.broken}.`}
  {:else}Every change and refusal, newest first.{/if}
  {#snippet aside()}
    <form onsubmit={find}><input data-search class="field w-56!" type="search" aria-label="A text in the entries" placeholder="A text  ( / )" bind:value={text} /></form>
    <button class="action" onclick={verify}>Prove it whole</button>
  {/snippet}
</Heading>

{#if refused}<Failing problem={refused} />{/if}
{#if list.problem}
  <Failing problem={list.problem} again={() => void load()} />
{:else if !list.value}
  <Waiting lines={10} />
{:else if shown.length}
  <!-- svelte-ignore a11y_no_noninteractive_tabindex: a region that scrolls must be reachable by keyboard -->
  <div class="relative overflow-x-auto" {@attach rows} tabindex="0" role="region" aria-label="Audit trail">
    <table class="ruled min-w-[48rem]">
      <thead><tr><th>No.</th><th>At (UTC)</th><th>Who</th><th>Did</th><th>Outcome</th><th>From</th></tr></thead>
      <tbody>
        {#each shown as entry (entry.seq)}
          <tr class="hover:bg-sunk">
            <td class="tabular-nums">{entry.seq}</td>
            <td class="whitespace-nowrap">{moment(entry.at)}</td>
            <td>{entry.who}</td>
            <td class="max-w-[40rem] break-words"><Sentence pieces={entry.words ?? []} /></td>
            <td class={entry.outcome === 'done' ? '' : 'text-blocked'}>{entry.outcome === 'done' ? 'done' : `refused: ${entry.outcome}`}</td>
            <td class="text-fine text-muted">{entry.address}</td>
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
  {#if list.value.next}<p class="mt-3"><button class="action" onclick={further}>Show earlier</button></p>{/if}
{:else}
  <p>{search ? 'No entry has that text.' : 'Here will be every change and refusal: who, what, when, and how it went.'}</p>
{/if}
