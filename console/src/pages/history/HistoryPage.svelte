<script lang="ts">
  // The revisions: who, when, why; any two compared; one restored as a new one.
  import { onMount } from 'svelte';
  import { push, router } from 'svelte-spa-router';
  import { api, Failure } from '../../lib/api/client';
  import type { Comparison, MeaningResult, Problem, RevisionList } from '../../lib/api/types';
  import { proofs } from '../../lib/api/proofs';
  import { count, moment } from '../../lib/format';
  import { rows } from '../../lib/keys';
  import Changes from '../../lib/parts/Changes.svelte';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import { session } from '../../lib/state/session.svelte';
  import Differences from '../drafts/Differences.svelte';

  const list = new Load<RevisionList>();
  const compared = new Load<Comparison>();
  const meaning = new Load<MeaningResult>();
  let restoring = $state(0);
  let why = $state('');
  let accept = $state('');
  let refused = $state<Problem | null>(null);
  const load = () => void list.run((signal) => api.revisions(signal));
  onMount(load);
  const asked = $derived(new URLSearchParams(router.querystring ?? ''));
  const before = $derived(Number(asked.get('before') ?? 0));
  const after = $derived(Number(asked.get('after') ?? 0));
  const may = $derived(session.info?.role === 'publisher' || session.info?.role === 'operator');
  $effect(() => {
    const [from, to] = [before, after];
    if (!from || !to) return;
    void compared.run((signal) => api.compare({ revision: from }, { revision: to }, signal));
    void meaning.run((signal) => proofs.meaning({ revision: from }, { revision: to }, signal));
  });
  const choose = (change: Record<string, string>) => {
    const next = new URLSearchParams(router.querystring ?? '');
    for (const [name, value] of Object.entries(change)) next.set(name, value);
    void push(`/history?${next}`);
  };

  async function restore(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    refused = null;
    try {
      await api.restore(restoring, why, accept);
      restoring = 0;
      why = accept = '';
      load();
    } catch (error) {
      if (!(error instanceof Failure)) throw error;
      refused = error.problem;
    }
  }
</script>

<Heading place="History">
  {#if list.value}{count(list.value.items.length, 'revision')}; {list.value.items[0] ? `revision ${list.value.items[0].number} is current.` : 'nothing is published.'}
  {:else}{list.problem ? 'The history cannot be shown.' : 'Reading the history …'}{/if}
</Heading>

{#if list.problem}
  <Failing problem={list.problem} again={load} />
{:else if !list.value}
  <Waiting lines={6} />
{:else}
  <!-- svelte-ignore a11y_no_noninteractive_tabindex: a region that scrolls must be reachable by keyboard -->
  <div class="relative overflow-x-auto" {@attach rows} tabindex="0" role="region" aria-label="Revisions">
    <table class="ruled min-w-[44rem]">
      <thead><tr><th>Revision</th><th>Published (UTC)</th><th>By</th><th>Why</th><th>Compare</th><th class="text-right!">Keep</th></tr></thead>
      <tbody>
        {#each list.value.items as found (found.number)}
          <tr class="hover:bg-sunk">
            <td class="tabular-nums">{found.number}{#if found.current}<span class="text-muted">&nbsp;current</span>{/if}</td>
            <td class="whitespace-nowrap">{moment(found.published_at)}</td>
            <td>{found.published_by}</td>
            <td>{found.why}{#if found.override}<span class="block text-fine text-challenged">lock-out risk accepted: {found.override}</span>{/if}</td>
            <td class="whitespace-nowrap">
              {#if found.number > 1}<a data-row href="#/history?before={found.number - 1}&after={found.number}">with {found.number - 1}</a>{/if}
              {#if !found.current}<a class="ml-2" href="#/history?before={found.number}&after={list.value.items[0]?.number}">with current</a>{/if}
            </td>
            <td class="text-right whitespace-nowrap">
              <a href="/api/v1/rulebook/export?revision={found.number}" download aria-label="Revision {found.number} as a file">file</a>
              <a class="mx-1" href="/api/v1/rulebook/export?revision={found.number}&form=folder" download aria-label="Revision {found.number} as a folder">folder</a>
              {#if may && !found.current}<button class="action" aria-label="Restore revision {found.number}" onclick={() => (restoring = found.number)}>Restore …</button>{/if}
            </td>
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
  {#if restoring}
    <form class="mt-4 grid max-w-2xl gap-3 border border-rule bg-raised p-4" onsubmit={restore}>
      <p class="font-semibold">Revision {restoring} is published again, as the next one.</p>
      <label class="text-small">Why<input class="field" bind:value={why} required maxlength="1000" /></label>
      {#if refused?.code === 'lockout-risk' || accept}
        <label class="text-small">Why although somebody who must get in could be locked out<input class="field" bind:value={accept} maxlength="1000" /></label>
      {/if}
      <div class="flex gap-2"><button class="action">Restore it</button><button class="action" type="button" onclick={() => (restoring = 0)}>Not now</button></div>
      {#if refused}<Failing problem={refused} />{/if}
    </form>
  {/if}
  {#if before && after}
    <div class="mt-8 mb-4 flex flex-wrap items-center gap-3">
      <h2 class="font-semibold">What changed</h2>
      <label class="flex items-center gap-1 text-small">from <select class="field w-auto!" value={String(before)} onchange={(event) => choose({ before: event.currentTarget.value })}>{#each list.value.items as found (found.number)}<option value={String(found.number)}>{found.number}</option>{/each}</select></label>
      <label class="flex items-center gap-1 text-small">to <select class="field w-auto!" value={String(after)} onchange={(event) => choose({ after: event.currentTarget.value })}>{#each list.value.items as found (found.number)}<option value={String(found.number)}>{found.number}</option>{/each}</select></label>
    </div>
    <section class="mb-5" aria-label="What it means">
      {#if meaning.problem}<Failing problem={meaning.problem} />
      {:else if meaning.busy || !meaning.value}<Waiting lines={2} />
      {:else}<Changes meaning={meaning.value.meaning} />{/if}
    </section>
    {#if compared.problem}<Failing problem={compared.problem} />
    {:else if !compared.value}<Waiting lines={6} />
    {:else if compared.value.objects.length}<Differences objects={compared.value.objects} />
    {:else}<p class="text-muted">They say the same.</p>{/if}
  {/if}
{/if}
