<script lang="ts">
  // What is being written: drafts on top of a revision.
  import { onMount } from 'svelte';
  import { push } from 'svelte-spa-router';
  import { api, Failure } from '../../lib/api/client';
  import type { DraftInfo, DraftList, Problem } from '../../lib/api/types';
  import { count, moment } from '../../lib/format';
  import { rows } from '../../lib/keys';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import { session } from '../../lib/state/session.svelte';

  const list = new Load<DraftList>();
  let name = $state('');
  let refused = $state<Problem | null>(null);
  const load = () => void list.run((signal) => api.drafts(signal));
  onMount(load);
  const open = $derived((list.value?.items ?? []).filter((draft) => !draft.discarded));
  const gone = $derived((list.value?.items ?? []).filter((draft) => draft.discarded));
  const mayWrite = $derived(session.info?.role !== 'viewer');

  async function attempt(ask: () => Promise<unknown>, then: () => void): Promise<void> {
    refused = null;
    try {
      await ask();
      then();
    } catch (error) {
      if (!(error instanceof Failure)) throw error;
      refused = error.problem;
    }
  }
  const begin = (event: SubmitEvent) => {
    event.preventDefault();
    void attempt(() => api.beginDraft(name.trim()), () => void push(`/drafts/${encodeURIComponent(name.trim())}`));
  };
</script>

<Heading place="Drafts">
  {#if list.value}
    {open.length ? `${count(open.length, 'draft')} being written.` : 'Nothing is being written.'}
  {:else}{list.problem ? 'The drafts cannot be shown.' : 'Looking which drafts there are …'}{/if}
</Heading>

{#if mayWrite}
  <form class="mb-6 flex max-w-xl items-end gap-3" onsubmit={begin}>
    <label class="flex-1 text-small">A new draft, on top of the current revision<input class="field" bind:value={name} placeholder="tablets-need-may" required maxlength="60" spellcheck="false" /></label>
    <button class="action">Begin it</button>
  </form>
{/if}
{#if refused}<div class="mb-4"><Failing problem={refused} /></div>{/if}
{#snippet table(items: DraftInfo[], label: string)}
  <!-- svelte-ignore a11y_no_noninteractive_tabindex: a region that scrolls must be reachable by keyboard -->
  <div class="relative overflow-x-auto" {@attach rows} tabindex="0" role="region" aria-label={label}>
    <table class="ruled min-w-[40rem]">
      <thead><tr><th>Draft</th><th>On revision</th><th>Changed</th><th>Saved (UTC)</th><th>By</th><th><span class="sr-only">Do</span></th></tr></thead>
      <tbody>
        {#each items as draft (draft.name)}
          <tr class="hover:bg-sunk">
            <td>{#if draft.discarded}{draft.name}<span class="text-muted">&nbsp;{draft.published ? `revision ${draft.published}` : 'discarded'}</span>{:else}<a data-row href="#/drafts/{encodeURIComponent(draft.name)}">{draft.name}</a>{/if}</td>
            <td class="tabular-nums">{draft.base || "none"}{#if draft.behind && !draft.discarded}<span class="text-challenged">&nbsp;behind</span>{/if}</td>
            <td>{count(draft.changed, 'object')}</td>
            <td class="whitespace-nowrap">{moment(draft.saved)}</td>
            <td>{draft.saved_by}</td>
            <td class="text-right">
              {#if mayWrite && draft.discarded}<button class="action" aria-label="Take up again: {draft.name}" onclick={() => attempt(() => api.recoverDraft(draft.name), load)}>Take up again</button>
              {:else if mayWrite}<button class="action" aria-label="Discard {draft.name}" onclick={() => attempt(() => api.discardDraft(draft.name), load)}>Discard</button>{/if}
            </td>
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
{/snippet}
{#if list.problem}
  <Failing problem={list.problem} again={load} />
{:else if !list.value}
  <Waiting lines={6} />
{:else}
  {#if open.length}{@render table(open, 'Drafts')}{:else}<p>Here will be what is being written: begin a draft above. It changes nothing until it is published.</p>{/if}
  {#if gone.length}
    <h2 class="mt-8 mb-2 font-semibold">Published or discarded</h2>
    {@render table(gone, 'Published or discarded')}
  {/if}
{/if}
