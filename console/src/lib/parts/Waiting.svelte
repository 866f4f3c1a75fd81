<script lang="ts">
  // Keeps the place of what is coming, so that nothing jumps when it comes.
  let { lines = 8 }: { lines?: number } = $props();
</script>

<div role="status" aria-busy="true" aria-label="Loading" class="animate-pulse py-2">
  {#each { length: lines }, i (i)}
    <div class="mb-3 h-4 bg-sunk {i % 3 === 2 ? 'w-1/2' : 'w-5/6'}"></div>
  {/each}
</div>
