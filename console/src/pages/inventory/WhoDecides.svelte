<script lang="ts">
  // For a person and an app together: what is possible at all, and which policies ever decide; asked for, then told.
  import { proofs } from '../../lib/api/proofs';
  import type { AboutResult } from '../../lib/api/types';
  import Example from '../../lib/parts/Example.svelte';
  import Failing from '../../lib/parts/Failing.svelte';
  import Mark from '../../lib/parts/Mark.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { Load } from '../../lib/state/load.svelte';

  let { person = '', app = '', apps = [] }: { person?: string; app?: string; apps?: { id: string; title: string }[] } = $props();
  // The one that is not given is chosen: an app from a list, a person by id.
  let other = $state('');
  const found = new Load<AboutResult>();
  const ask = (event: SubmitEvent) => {
    event.preventDefault();
    void found.run((signal) => proofs.about(person || other.trim(), app || other.trim(), signal));
  };
  const parts = $derived(found.value?.policies ?? []);
  const deciding = $derived(parts.filter((part) => part.decides.length));
  const speaking = $derived(parts.filter((part) => part.speaks && !part.decides.length));
</script>

<section aria-label="Which policies ever decide">
  <h2 class="text-lead font-semibold">Which policies ever decide</h2>
  <form class="flex flex-wrap items-end gap-2 text-small" onsubmit={ask}>
    {#if person}
      <label>for the app <select class="field w-auto!" bind:value={other}><option value="">any app</option>{#each apps as each (each.id)}<option value={each.id}>{each.title}</option>{/each}</select></label>
    {:else}
      <label>for the person <input class="field w-48!" bind:value={other} placeholder="anybody" autocomplete="off" spellcheck="false" /></label>
    {/if}
    <button class="action" aria-busy={found.busy}>Tell</button>
    <span class="text-muted">Whatever the network, the device, the risk and the moment.</span>
  </form>
  <div aria-live="polite">
    {#if found.problem}<Failing problem={found.problem} />
    {:else if found.busy}<Waiting lines={4} />
    {:else if found.value}
      <h3 class="eyebrow mt-3">What is possible</h3>
      {#each found.value.outcomes as each (each.outcome)}<div class="border-t border-rule py-1.5 text-small"><Example example={each} /></div>{/each}
      <h3 class="eyebrow mt-3">Policies that ever decide</h3>
      {#each deciding as part (part.policy)}
        <details class="border-t border-rule py-1.5 text-small" data-decides={part.policy}>
          <summary class="cursor-pointer"><span class="font-medium">{part.title}</span>
            {#each part.decides as each (each.outcome)}<span class="ml-2"><Mark value={each.outcome} size={10} /></span>{/each}
            {#if part.mode === 'shadow'}<span class="ml-2 text-muted">in shadow, as if it were enforced</span>{/if}</summary>
          {#each part.decides as each (each.outcome)}<div class="mt-1 border-l-2 border-rule pl-3"><Example example={each} /></div>{/each}
        </details>
      {:else}<p class="text-small text-muted">None: the app’s stance decides alone.</p>{/each}
      {#if speaking.length}
        <h3 class="eyebrow mt-3">Policies that speak, and never decide</h3>
        <p class="text-small">{#each speaking as part, i (part.policy)}{i ? ', ' : ''}<a href="#/rulebook/policy/{encodeURIComponent(part.policy)}">{part.title}</a>{/each}</p>
      {/if}
      <p class="mt-2 text-small text-muted">{parts.filter((part) => !part.speaks).length} of {parts.length} policies never speak.{found.value.whole ? '' : ' Time ran out before all was looked at.'}</p>
    {/if}
  </div>
</section>
