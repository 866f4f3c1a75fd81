<script lang="ts">
  // A button for what cannot be taken back: it asks once more, in its own place.
  let { word, label, sure, act }: { word: string; label: string; sure: string; act: () => unknown } = $props();
  let asking = $state(false);

  function go(): void {
    asking = false;
    act();
  }
</script>

{#if asking}
  <button class="action" onclick={go}>{sure}</button>
  <button class="action" onclick={() => (asking = false)}>Keep</button>
{:else}
  <button class="action" aria-label={label} onclick={() => (asking = true)}>{word} …</button>
{/if}
