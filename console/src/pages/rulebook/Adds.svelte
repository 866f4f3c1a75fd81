<script lang="ts">
  // What one policy adds: the rulebook compared in meaning with the same without it. Asked for, then told.
  import { proofs } from '../../lib/api/proofs';
  import type { MeaningResult } from '../../lib/api/types';
  import Changes from '../../lib/parts/Changes.svelte';
  import Failing from '../../lib/parts/Failing.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { Load } from '../../lib/state/load.svelte';

  let { policy, enforced }: { policy: string; enforced: boolean } = $props();
  const adds = new Load<MeaningResult>();
  const meaning = $derived(adds.value?.meaning);
</script>

<section class="border-t border-rule py-3" aria-label="What it adds" aria-live="polite">
  <h2 class="mb-1 text-lead font-semibold">What it adds</h2>
  {#if adds.problem}<Failing problem={adds.problem} />
  {:else if adds.busy}<Waiting lines={3} />
  {:else if meaning}<Changes {meaning} />
  {:else}
    <p class="text-small text-muted">The rulebook against the same without it{enforced ? '' : ', as if it were enforced'}.
      <button class="action ml-2" onclick={() => adds.run((signal) => proofs.adds(policy, signal))}>Tell what it adds</button></p>
  {/if}
</section>
