<script lang="ts">
  // Exactly the words that the door shows when a rule decides. Plain text: nothing in it is markup.
  import type { ToldText } from '../../../lib/api/types';
  import Mark from '../../../lib/parts/Mark.svelte';

  let { told }: { told: ToldText } = $props();
</script>

<figure class="mt-2 border border-rule-strong bg-raised px-3 py-2">
  <figcaption class="flex items-center gap-2 text-fine text-muted"><Mark value={told.outcome} size={10} /> by {told.rule || 'its rule'}</figcaption>
  <p class="mt-1 wrap-anywhere" data-told>{told.text}</p>
  {#if told.link}<p class="text-small wrap-anywhere text-accent">{told.link}</p>{/if}
</figure>
