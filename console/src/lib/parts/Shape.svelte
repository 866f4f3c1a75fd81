<script lang="ts">
  // The shapes of outcomes, truth values and modes: each can be told apart without colour.
  let { name, size = 12 }: { name: string; size?: number } = $props();
</script>

<svg class="shape {name}" width={size} height={size} viewBox="0 0 12 12" aria-hidden="true">
  {#if name === 'allowed'}
    <circle cx="6" cy="6" r="5.25" fill="none" stroke="currentColor" stroke-width="1.5" />
    <path d="M3.500 6.200 5.300 8 8.600 4.300" fill="none" stroke="currentColor" stroke-width="1.500" />
  {:else if name === 'challenged'}
    <path d="M6 .9 11.100 6 6 11.100.9 6Z" fill="none" stroke="currentColor" stroke-width="1.500" />
    <path d="M6 3.600v3" stroke="currentColor" stroke-width="1.500" /><circle cx="6" cy="8.300" r=".85" fill="currentColor" />
  {:else if name === 'blocked'}
    <rect x=".5" y=".5" width="11" height="11" rx="1" fill="currentColor" />
    <path class="cut" d="m3.500 3.500 5 5m0-5-5 5" stroke-width="1.600" />
  {:else if name === 'true'}
    <circle cx="6" cy="6" r="5" fill="currentColor" />
  {:else if name === 'false'}
    <circle cx="6" cy="6" r="4.250" fill="none" stroke="currentColor" stroke-width="1.500" />
  {:else if name === 'unknown'}
    <circle cx="6" cy="6" r="4.500" fill="none" stroke="currentColor" stroke-width="1.500" stroke-dasharray="2 1.800" />
  {:else if name === 'enforced'}
    <path d="M1 2h10v8H1z" fill="currentColor" />
  {:else if name === 'shadow'}
    <path d="M1.700 2.700h8.600v6.600H1.700z" fill="none" stroke="currentColor" stroke-width="1.400" stroke-dasharray="2 1.300" />
  {:else}
    <path d="M1 6h10" stroke="currentColor" stroke-width="1.400" />
  {/if}
</svg>

<style>
  .shape {
    flex: none;
    display: inline-block;
    vertical-align: -0.09em;
  }
  .cut {
    stroke: var(--paper);
  }
</style>
