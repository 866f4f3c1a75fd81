<script lang="ts">
  // What a draft changes in meaning, against what is in force: told before it is published, each kind with an attempt.
  import { proofs } from '../../lib/api/proofs';
  import type { MeaningResult, ProofResult } from '../../lib/api/types';
  import Changes from '../../lib/parts/Changes.svelte';
  import Example from '../../lib/parts/Example.svelte';
  import Failing from '../../lib/parts/Failing.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import type { Writing } from './writing.svelte';

  let { writing }: { writing: Writing } = $props();
  const meaning = new Load<MeaningResult>();
  const guarantees = new Load<ProofResult>();
  const version = $derived(writing.check.value?.ok ? writing.whole?.info.version : 0);
  $effect(() => {
    if (!version) return;
    void meaning.run((signal) => proofs.meaning({}, { draft: writing.name }, signal));
    void guarantees.run((signal) => proofs.guarantees({ draft: writing.name }, signal));
  });
  const found = $derived(meaning.value?.meaning);
  const broken = $derived((guarantees.value?.guarantees ?? []).filter((each) => each.answer !== 'holds'));
</script>

<h2 class="mt-6 mb-1 font-semibold">What it means</h2>
{#if meaning.problem}<Failing problem={meaning.problem} />
{:else if !version && !found}<p class="text-muted">It can be told once the errors are mended.</p>
{:else if !found}<Waiting lines={3} />
{:else}
  <Changes meaning={found} draft={writing.name} />
{/if}
{#each broken as each (each.guarantee)}
  <div class="mt-2 border-l-4 border-blocked bg-blocked-soft px-4 py-2">
    <p class="font-semibold">{each.title || each.guarantee} {each.answer === 'fails' ? 'would not hold any more' : 'cannot be told in time'}</p>
    {#if each.counterexample}<Example example={each.counterexample} draft={writing.name} />{/if}
  </div>
{/each}
<p class="mt-2 text-small"><a href="#/proofs?draft={writing.name}">Guarantees, check-up and what does nothing</a></p>
