<script lang="ts">
  // What a draft changes in meaning, against what is in force: told before it is published, each kind with an attempt.
  import { proofs } from '../../lib/api/proofs';
  import type { MeaningResult, ProofResult } from '../../lib/api/types';
  import Example from '../../lib/parts/Example.svelte';
  import Failing from '../../lib/parts/Failing.svelte';
  import Mark from '../../lib/parts/Mark.svelte';
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
  <p data-meaning>{found.sentence}</p>
  {#each found.changes as change (change.from + change.to)}
    <details class="mt-1 text-small">
      <summary class="cursor-pointer text-accent"><Mark value={change.from} size={10} /> to <Mark value={change.to} size={10} />: {change.apps.length ? change.apps.join(', ') : 'no app that is known'}</summary>
      <div class="mt-1 border-l-2 border-rule pl-3">
        <Example example={{ facts: change.witness.facts, outcome: change.to, deciding: change.because.after, story: change.story }} draft={writing.name} />
        {#if change.people.length}<p class="text-muted">of {change.people.join(', ')}</p>{/if}
        {#if change.outstanding[0]?.join() !== change.outstanding[1]?.join()}<p class="text-muted">asked for before: {change.outstanding[0]?.join(', ') || 'nothing'}; now: {change.outstanding[1]?.join(', ') || 'nothing'}</p>{/if}
      </div>
    </details>
  {/each}
{/if}
{#each broken as each (each.guarantee)}
  <div class="mt-2 border-l-4 border-blocked bg-blocked-soft px-4 py-2">
    <p class="font-semibold">{each.title || each.guarantee} {each.answer === 'fails' ? 'would not hold any more' : 'cannot be told in time'}</p>
    {#if each.counterexample}<Example example={each.counterexample} draft={writing.name} />{/if}
  </div>
{/each}
<p class="mt-2 text-small"><a href="#/proofs?draft={writing.name}">Guarantees, check-up and what does nothing</a></p>
