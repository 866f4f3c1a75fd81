<script lang="ts">
  // What can come next in a text that is being typed, under its box.
  import type { Completing } from '../state/completing.svelte';

  let { id, label, completing, pick }: { id: string; label: string; completing: Completing; pick: (word: string) => void } = $props();
</script>

<ul {id} role="listbox" aria-label={label} hidden={!completing.open} class="absolute z-20 max-h-72 w-[32rem] max-w-full overflow-y-auto border border-rule-strong bg-raised shadow-lg">
  {#each completing.words as { word, says }, i (word)}
    <li
      id="{id}-{i}"
      role="option"
      tabindex="-1"
      aria-selected={i === completing.at}
      class="flex cursor-pointer gap-3 px-3 py-1 aria-selected:bg-accent-soft"
      onmousedown={(event) => {
        event.preventDefault();
        pick(word);
      }}
    >
      <span class="font-mono text-small">{word}</span><span class="ml-auto text-right text-fine text-muted">{says}</span>
    </li>
  {/each}
</ul>
