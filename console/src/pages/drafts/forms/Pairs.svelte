<script lang="ts">
  // Names with a value each: facts that are assumed, the facts of an attempt, days with other hours.
  import type { Language } from '../language.svelte';

  let { id, label, hint, pairs, language, set }: {
    id: string;
    label: string;
    hint: string;
    pairs: Record<string, unknown>;
    language: Language;
    set: (pairs: Record<string, unknown>) => void;
  } = $props();
  let name = $state('');
  let value = $state('');
  const shown = (each: unknown) => (Array.isArray(each) ? each.join(', ') : String(each));
  const read = (name: string, text: string): unknown => {
    const many = Array.isArray(pairs[name]) || /^\d{4}-/.test(name);
    return many ? text.split(',').map((each) => each.trim()).filter(Boolean) : text.trim();
  };
  const without = (gone: string) => Object.fromEntries(Object.entries(pairs).filter(([each]) => each !== gone));

  function add(): void {
    if (!name.trim() || !value.trim()) return;
    set({ ...pairs, [name.trim()]: read(name.trim(), value) });
    name = value = '';
  }
</script>

<div class="py-1" role="group" aria-label={label}>
  <p class="text-small">{label}</p>
  {#each Object.entries(pairs) as [each, held] (each)}
    <div class="flex items-center gap-1 py-0.5">
      <span class="w-44 shrink-0 font-mono text-fine wrap-anywhere">{each}</span>
      <input class="field" aria-label="Value of {each}" value={shown(held)} onchange={(event) => set({ ...pairs, [each]: read(each, event.currentTarget.value) })} />
      <button type="button" class="tool" aria-label="Take out {each}" onclick={() => set(without(each))}>out</button>
    </div>
  {/each}
  <div class="flex items-center gap-1 py-0.5">
    <input {id} class="field w-44 shrink-0" aria-label="{label}: name of one more" list="{id}-facts" bind:value={name} placeholder="such as {hint.split(' and ')[0]}" autocomplete="off" />
    <datalist id="{id}-facts">{#each language.facts as fact (fact.name)}<option value={fact.name}></option>{/each}</datalist>
    <input class="field" aria-label="{label}: its value" bind:value placeholder={hint.split(' and ')[1] ?? ''} onkeydown={(event) => event.key === 'Enter' && add()} />
    <button type="button" class="action" onclick={add}>Add</button>
  </div>
</div>
