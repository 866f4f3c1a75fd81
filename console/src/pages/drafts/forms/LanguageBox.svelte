<script lang="ts">
  // A condition or an effect as text: words complete as one types, errors are underlined where they are.
  import { tick } from 'svelte';
  import WordList from '../../../lib/parts/WordList.svelte';
  import { Completing } from '../../../lib/state/completing.svelte';
  import type { Diagnostic } from '../../../lib/api/types';
  import type { Language } from '../language.svelte';

  let { id, label, language, kind, text, problems, set }: {
    id: string;
    label: string;
    language: Language;
    kind: 'condition' | 'effect';
    text: string;
    problems: Diagnostic[];
    set: (text: string) => void;
  } = $props();
  const completing = $derived(new Completing(language, kind));
  let box = $state<HTMLTextAreaElement>();
  const first = $derived(problems.find((found) => found.span)?.span);
  const from = $derived(first ? Math.min(first.column - 1, Math.max(text.length - 1, 0)) : 0);
  const to = $derived(first ? Math.max(first.end_column - 1, from + 1) : 0);

  function pick(word: string): void {
    const picked = completing.picked(text, box?.selectionStart ?? text.length, word);
    set(picked.text);
    // Before the next key: whoever types on at once must not find the caret elsewhere.
    void tick().then(() => {
      box?.setSelectionRange(picked.at, picked.at);
      void completing.suggest(picked.text, picked.at);
    });
  }

  function key(event: KeyboardEvent): void {
    if (completing.key(event, pick)) return;
    if (event.key === 'Enter') {
      // One line is enough; lines that a document has stay, since a comment ends with its line.
      event.preventDefault();
    } else if (event.key === ' ' && event.ctrlKey) {
      event.preventDefault();
      void completing.suggest(text, box?.selectionStart ?? text.length, true);
    }
  }
</script>

<div class="relative">
  <div class="grid grid-cols-[minmax(0,1fr)]">
    <div class="field pointer-events-none col-start-1 row-start-1 border-transparent bg-transparent font-mono leading-6 wrap-anywhere whitespace-pre-wrap text-transparent" aria-hidden="true"
      >{#if first}{text.slice(0, from)}<span class="underline decoration-blocked decoration-wavy decoration-2">{text.slice(from, to) || ' '}</span>{text.slice(to)}{:else}{text}{/if}&nbsp;</div>
    <textarea
      bind:this={box}
      {id}
      rows="1"
      class="field col-start-1 row-start-1 resize-none overflow-hidden bg-transparent font-mono leading-6 wrap-anywhere"
      value={text}
      aria-label={label}
      aria-haspopup="listbox"
      aria-controls="{id}-words"
      aria-autocomplete="list"
      aria-activedescendant={completing.open ? `${id}-words-${completing.at}` : undefined}
      aria-invalid={problems.length > 0}
      aria-describedby={problems.length ? `${id}-wrong` : undefined}
      autocomplete="off"
      spellcheck="false"
      oninput={(event) => {
        set(event.currentTarget.value);
        void completing.suggest(event.currentTarget.value, event.currentTarget.selectionStart);
      }}
      onkeydown={key}
      onblur={() => completing.close()}
    ></textarea>
  </div>
  <WordList id="{id}-words" label="What can come next" {completing} {pick} />
  {#if problems.length}
    <div id="{id}-wrong" class="mt-0.5 text-fine text-blocked" role="status">
      {#each problems as found, i (i)}<p>{found.message}{found.hint ? ` — ${found.hint}` : ''}</p>{/each}
    </div>
  {/if}
</div>
