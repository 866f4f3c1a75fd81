<script lang="ts">
  // A condition that filters a list: facts and words complete as one types, errors show at their place.
  import { tick, untrack } from 'svelte';
  import type { Problem } from '../api/types';
  import { Completing, type Words } from '../state/completing.svelte';
  import WordList from './WordList.svelte';

  let { where, problem, apply, words, example }: {
    where: string;
    problem: Problem | null;
    apply: (where: string) => unknown;
    words: Words;
    example: string;
  } = $props();
  const completing = new Completing(untrack(() => words));
  let text = $state('');
  let box = $state<HTMLInputElement>();
  $effect(() => {
    text = where;
  });
  const wrong = $derived(problem?.code === 'bad-filter' && text === where ? (problem.errors ?? []) : []);
  const first = $derived(wrong[0]?.span);

  function pick(word: string): void {
    const picked = completing.picked(text, box?.selectionStart ?? text.length, word);
    text = picked.text;
    // Before the next key: whoever types on at once must not find the caret elsewhere.
    void tick().then(() => box?.setSelectionRange(picked.at, picked.at));
  }

  function key(event: KeyboardEvent): void {
    if (!completing.key(event, pick, ['Enter', 'Tab']) && event.key === 'Escape') box?.blur();
  }
</script>

<form
  class="relative mb-4"
  onsubmit={(event) => {
    event.preventDefault();
    completing.close();
    apply(text.trim());
  }}
>
  <div class="flex gap-2">
    <input
      bind:this={box}
      bind:value={text}
      class="field w-full font-mono text-small"
      placeholder="Where …  {example}"
      aria-label="Only where this condition holds"
      role="combobox"
      aria-expanded={completing.open}
      aria-controls="filter-words"
      aria-autocomplete="list"
      aria-activedescendant={completing.open && completing.chosen ? `filter-words-${completing.at}` : undefined}
      aria-invalid={wrong.length > 0}
      autocomplete="off"
      spellcheck="false"
      oninput={() => completing.suggest(text, box?.selectionStart ?? text.length)}
      onkeydown={key}
      onblur={() => completing.close()}
    />
    <button class="action" type="submit">Filter</button>
    {#if where}<button class="action" type="button" onclick={() => apply('')}>Clear</button>{/if}
  </div>
  <WordList id="filter-words" label="Facts and values" {completing} {pick} />
  {#if wrong.length}
    <div class="mt-1 border-l-4 border-blocked bg-blocked-soft px-3 py-1 text-small" role="alert">
      {#if first}
        <p class="font-mono whitespace-pre-wrap">{text.slice(0, first.column - 1)}<mark class="bg-transparent text-blocked underline decoration-wavy"
            >{text.slice(first.column - 1, Math.max(first.end_column - 1, first.column)) || ' '}</mark
          >{text.slice(Math.max(first.end_column - 1, first.column))}</p>
      {/if}
      {#each wrong as found, i (i)}<p>{found.message}{found.hint ? ` — ${found.hint}` : ''}</p>{/each}
    </div>
  {/if}
</form>
