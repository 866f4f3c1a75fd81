<script lang="ts">
  // The top of a page: where it is, and its answer in one sentence.
  import type { Snippet } from 'svelte';

  let { place, children, aside }: { place: string; children: Snippet; aside?: Snippet } = $props();
</script>

<svelte:head><title>{place} · Caddrel</title></svelte:head>
<header class="mb-5 flex flex-wrap items-start justify-between gap-x-6 gap-y-2 border-b-2 border-ink pb-3">
  <div class="min-w-0 flex-1 basis-96">
    <p class="eyebrow">{place}</p>
    <h1 class="max-w-[62ch] text-title font-semibold text-balance">{@render children()}</h1>
  </div>
  {#if aside}<div class="no-print flex flex-wrap items-center gap-2 pt-4">{@render aside()}</div>{/if}
</header>
