<script lang="ts">
  // What would have led to a better outcome: the easiest first, with who can do it.
  import type { Decision, Remedy } from '../api/types';
  import Mark from './Mark.svelte';
  import Sentence from './Sentence.svelte';

  let { remedies, decision }: { remedies: Remedy[]; decision: Decision } = $props();
</script>

{#if decision.outcome !== 'allowed'}
  <h2 class="mt-5 mb-1 text-lead font-semibold">What would have helped</h2>
  {#if remedies.length}
    <ul class="mb-5">
      {#each remedies as remedy, i (i)}
        <li class="grid grid-cols-[7.5rem_minmax(0,1fr)_8.5rem] gap-3 border-b border-rule py-1">
          <Mark value={remedy.outcome} />
          <span><Sentence pieces={remedy.sentence} /></span>
          <span class="text-small text-muted">{remedy.who}</span>
        </li>
      {/each}
    </ul>
  {:else}
    <p class="mb-5">Nothing that somebody could change, within three changes.</p>
  {/if}
{/if}
