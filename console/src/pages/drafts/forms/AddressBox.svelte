<script lang="ts">
  // Is this address in the place?
  import { api } from '../../../lib/api/client';
  import type { Standing } from '../../../lib/api/types';
  import { Load } from '../../../lib/state/load.svelte';

  let { draft, path }: { draft: string; path: string } = $props();
  let address = $state('');
  const answer = new Load<Standing>();
  const ask = (event: SubmitEvent) => {
    event.preventDefault();
    if (address.trim()) void answer.run((signal) => api.holds(draft, path, address.trim(), signal));
  };
</script>

<form class="mt-4" onsubmit={ask}>
  <label class="text-small">Is this address in it?
    <span class="flex gap-1"><input class="field" bind:value={address} placeholder="192.0.2.7" spellcheck="false" autocomplete="off" /><button class="action">Ask</button></span></label>
  <div aria-live="polite">
    {#if answer.problem}<p class="text-fine text-blocked">{answer.problem.title}{answer.problem.hint ? ` — ${answer.problem.hint}` : ''}</p>
    {:else if answer.value}{#each answer.value.lines as line, i (i)}<p class="{i ? 'text-fine text-muted' : 'mt-1 font-medium'} wrap-anywhere">{line}</p>{/each}{/if}
  </div>
</form>
