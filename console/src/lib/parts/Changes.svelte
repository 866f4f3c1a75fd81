<script lang="ts">
  // What differs in meaning: all of it in a few sentences, then each kind of change with an attempt that shows it.
  import type { Meaning } from '../api/types';
  import Example from './Example.svelte';
  import Mark from './Mark.svelte';

  let { meaning, draft = '' }: { meaning: Meaning; draft?: string } = $props();
</script>

<p data-meaning>{meaning.sentence}</p>
{#each meaning.changes as change (change.from + change.to)}
  <details class="mt-1 text-small">
    <summary class="cursor-pointer text-accent"><Mark value={change.from} size={10} /> to <Mark value={change.to} size={10} />: {change.apps.length ? change.apps.join(', ') : 'no app that is known'}</summary>
    <div class="mt-1 border-l-2 border-rule pl-3">
      <Example example={{ facts: change.witness.facts, outcome: change.to, deciding: change.because.after, story: change.story }} {draft} />
      {#if change.people.length}<p class="text-muted">of {change.people.join(', ')}</p>{/if}
      {#if change.outstanding[0]?.join() !== change.outstanding[1]?.join()}<p class="text-muted">asked for before: {change.outstanding[0]?.join(', ') || 'nothing'}; now: {change.outstanding[1]?.join(', ') || 'nothing'}</p>{/if}
    </div>
  </details>
{/each}
