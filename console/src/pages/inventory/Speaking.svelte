<script lang="ts">
  // The policies that speak about something, in order: those that name it first.
  import type { Speaks } from '../../lib/api/types';
  import Mark from '../../lib/parts/Mark.svelte';
  import Sentence from '../../lib/parts/Sentence.svelte';

  let { policies, none, others }: { policies: Speaks[]; none: string; others: string } = $props();
</script>

<section aria-label="Policies that speak about it">
  <h2 class="text-lead font-semibold">Policies that speak about it</h2>
  {#each policies as policy (policy.policy)}
    <div class="border-t border-rule py-2 text-small">
      <p class="flex flex-wrap items-baseline gap-x-3"><a class="font-medium" href="#/rulebook/policy/{encodeURIComponent(policy.policy)}">{policy.title}</a><Mark value={policy.mode} size={10} /><span class="text-muted">{policy.naming ? 'names it' : others}</span></p>
      <p class="max-w-[80ch] text-muted"><Sentence pieces={policy.sentence} /></p>
    </div>
  {:else}<p class="text-small text-muted">{none}</p>{/each}
</section>
