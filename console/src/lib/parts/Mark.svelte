<script lang="ts">
  // An outcome, truth value or mode: its shape and its word, in its colour.
  import Shape from './Shape.svelte';

  let { value, word = value, size = 12 }: { value: string; word?: string; size?: number } = $props();
  const COLOURS: Record<string, string> = {
    allowed: 'text-allowed',
    challenged: 'text-challenged',
    blocked: 'text-blocked font-semibold',
    true: 'text-ink',
    false: 'text-muted',
    unknown: 'text-challenged',
    enforced: 'text-ink',
    shadow: 'text-muted',
    off: 'text-muted',
  };
</script>

<span class="inline-flex items-baseline gap-1.5 whitespace-nowrap {COLOURS[value] ?? ''}">
  <Shape name={value} {size} /><span>{word}</span>
</span>
