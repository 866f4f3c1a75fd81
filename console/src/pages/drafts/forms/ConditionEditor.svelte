<script lang="ts">
  // A condition as text and as rows, two views of one thing.
  import { untrack } from 'svelte';
  import Sentence from '../../../lib/parts/Sentence.svelte';
  import type { Language } from '../language.svelte';
  import ConditionRows from './ConditionRows.svelte';
  import LanguageBox from './LanguageBox.svelte';
  import { type Tree, Understanding } from './understanding.svelte';

  let { id, label, language, text, only = '', set }: {
    id: string;
    label: string;
    language: Language;
    text: string;
    only?: string;
    set: (text: string) => void;
  } = $props();
  const it = untrack(() => new Understanding<Tree>('condition', language.writing.name, only, (said) => set(said)));
  $effect(() => {
    const given = text;
    untrack(() => it.given(given));
  });
  const fresh = (): Tree => ({ kind: 'test', test: 'fact', fact: '', op: '', values: [] });
  const group = $derived<Tree | null>(it.tree && ['all', 'any', 'not', 'surely'].includes(it.tree.kind) ? it.tree : null);

  const commented = $derived(it.text.includes('#'));

  function add(): void {
    const tree = $state.snapshot(it.tree) as Tree | null;
    if (!tree) it.tree = { kind: 'all', parts: [fresh()] };
    else if (tree.kind === 'all' || tree.kind === 'any') it.tree = { ...tree, parts: [...(tree.parts ?? []), fresh()] };
    else it.tree = { kind: 'all', parts: [tree, fresh()] };
    it.lacking = 'The new row is not complete yet.';
    requestAnimationFrame(() => [...document.querySelectorAll<HTMLElement>(`[data-rows="${CSS.escape(id)}"] select[data-subject]`)].at(-1)?.focus());
  }
</script>

<LanguageBox {id} {label} {language} kind="condition" text={it.text} problems={it.problems} set={(said) => it.typed(said)} />
{#if it.words.length}<p class="mt-0.5 text-fine text-muted"><Sentence pieces={it.words} /></p>{/if}
<div class="mt-1.5" class:opacity-60={!it.current || commented} inert={commented} data-rows={id} role="group" aria-label="{label}, as rows">
  {#if it.tree}
    <ConditionRows tree={group ?? { kind: 'all', parts: [it.tree] }} {language} {only} top={id} root={true} set={(tree) => it.changed(tree)} />
  {/if}
  <p class="mt-1 flex flex-wrap items-center gap-2">
    <button type="button" class="action" onclick={add}>Add a row</button>
    {#if commented}<span class="text-fine text-muted">The text has a comment, which rows would lose: change it as text.</span>
    {:else if it.lacking}<span class="text-fine text-challenged" role="status">{it.lacking}</span>
    {:else if !it.current}<span class="text-fine text-muted">The rows follow once the text can be read.</span>
    {:else if !it.tree}<span class="text-fine text-muted">Without a condition it always holds.</span>{/if}
  </p>
</div>
