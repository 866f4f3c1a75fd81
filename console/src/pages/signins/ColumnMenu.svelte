<script lang="ts">
  // Which columns the list has.
  import Columns from '@lucide/svelte/icons/columns-3';
  import { COLUMNS, USUAL } from './columns';

  let { names, set }: { names: string[]; set: (names: string[]) => unknown } = $props();
  const toggled = (name: string) => (names.includes(name) ? names.filter((other) => other !== name) : [...names, name]);
  let menu = $state<HTMLDetailsElement>();
  function leave(event: FocusEvent): void {
    if (menu && event.relatedTarget instanceof Node && !menu.contains(event.relatedTarget)) menu.open = false;
  }
</script>

<svelte:window
  onkeydown={(event) => {
    if (event.key !== 'Escape' || !menu?.open) return;
    menu.open = false;
    menu.querySelector('summary')?.focus();
  }}
/>
<details bind:this={menu} class="relative" onfocusout={leave}>
  <summary class="action inline-flex cursor-pointer list-none items-center gap-1.5"><Columns size={14} aria-hidden="true" /> Columns</summary>
  <div class="absolute right-0 z-10 mt-1 w-56 border border-rule-strong bg-raised p-3 text-small" role="group" aria-label="Columns">
    {#each Object.entries(COLUMNS) as [name, column] (name)}
      <label class="flex items-center gap-2 py-0.5">
        <input type="checkbox" checked={names.includes(name)} disabled={names.length === 1 && names[0] === name} onchange={() => set(toggled(name))} />
        {column.title}
      </label>
    {/each}
    <button class="action mt-2 w-full" type="button" onclick={() => set(USUAL)}>The usual ones</button>
  </div>
</details>
