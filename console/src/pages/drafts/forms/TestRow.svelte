<script lang="ts">
  // One test: what is asked, how it is compared, with what.
  import type { Language } from '../language.svelte';
  import type { Tree } from './understanding.svelte';

  let { test, language, only, id, set }: { test: Tree; language: Language; only: string; id: string; set: (test: Tree) => void } = $props();
  const fact = $derived(test.test === 'fact' ? (test.fact ?? '') : '');
  const operators = $derived(language.operators(fact));
  const takes = $derived(fact ? (operators.find((row) => row.op === test.op)?.values ?? 'one') : 'list');
  const part = $derived(language.tests[test.test ?? '']);
  const known = $derived(part ? language.writing.ids(part.section) : language.values(fact));
  const words = $derived(language.fact(fact)?.words ?? []);
  const many = $derived(takes === 'list' && test.test !== 'passes' && test.test !== 'during');
  const shown = $derived((test.values ?? []).join(', '));
  let typing = $state<string | null>(null);

  function subject(name: string): void {
    if (name in language.tests) return set({ kind: 'test', test: name, fact: '', op: '', values: [] });
    const first = language.operators(name)[0];
    set({ kind: 'test', test: 'fact', fact: name, op: first?.op ?? 'is', values: [] });
  }
  function compare(op: string): void {
    const row = operators.find((each) => each.op === op);
    const values = test.values ?? [];
    set({ ...test, op, values: row?.values === 'none' ? [] : row?.values === 'one' ? values.slice(0, 1) : values });
  }
  function value(text: string): void {
    const values = many ? text.split(',').map((each) => each.trim()).filter(Boolean) : text.trim() ? [text.trim()] : [];
    set({ ...test, values });
  }
</script>

<div class="grid gap-1 {fact ? 'grid-cols-[minmax(0,1.25fr)_minmax(0,0.8fr)_minmax(0,1.2fr)]' : 'grid-cols-[minmax(0,1fr)_minmax(0,1.4fr)]'}">
  <select class="field" data-subject aria-label="What is asked" value={test.test === 'fact' ? fact : test.test} onchange={(event) => subject(event.currentTarget.value)}>
    {#if !fact && test.test === 'fact'}<option value="">choose …</option>{/if}
    {#if !only}
      <optgroup label="parts">{#each Object.entries(language.tests) as [name, { says }] (name)}<option value={name}>{says}</option>{/each}</optgroup>
    {/if}
    {#each language.groups(only) as [group, facts] (group)}
      <optgroup label={group}>{#each facts as each (each.name)}<option value={each.name}>{each.name}</option>{/each}</optgroup>
    {/each}
  </select>
  {#if fact}
    <select class="field {takes === 'none' ? 'col-span-2' : ''}" aria-label="How it is compared" value={test.op} onchange={(event) => compare(event.currentTarget.value)}>
      {#each operators as row (row.op)}<option value={row.op}>{row.op || 'is yes'}</option>{/each}
    </select>
  {/if}
  {#if takes === 'none'}<!-- Nothing to compare with. -->
  {:else if !many && (part || (words.length && words.length <= 14))}
    <select class="field" aria-label="With what" value={test.values?.[0] ?? ''} onchange={(event) => value(event.currentTarget.value)}>
      <option value="">choose …</option>
      {#each part ? known : words as word (word)}<option>{word}</option>{/each}
      {#if test.values?.[0] && !(part ? known : words).includes(test.values[0])}<option>{test.values[0]}</option>{/if}
    </select>
  {:else}
    <input
      class="field"
      aria-label="With what"
      list="{id}-known"
      value={typing ?? shown}
      placeholder={many ? 'several, with commas' : 'a value'}
      autocomplete="off"
      spellcheck="false"
      disabled={!fact && !part}
      oninput={(event) => {
        typing = event.currentTarget.value;
        value(typing);
      }}
      onblur={() => (typing = null)}
    />
    <datalist id="{id}-known">{#each known as word (word)}<option value={word}></option>{/each}</datalist>
  {/if}
</div>
