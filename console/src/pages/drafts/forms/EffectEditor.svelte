<script lang="ts">
  // What a rule does, as text and as rows.
  import { untrack } from 'svelte';
  import type { Language } from '../language.svelte';
  import FormulaRows from './FormulaRows.svelte';
  import LanguageBox from './LanguageBox.svelte';
  import { type EffectTree, type Tree, Understanding } from './understanding.svelte';

  let { id, label, language, effects, text, set }: { id: string; label: string; language: Language; effects?: string[] | undefined; text: string; set: (text: string) => void } = $props();
  const it = untrack(() => new Understanding<EffectTree>('effect', language.writing.name, '', (said) => set(said)));
  $effect(() => {
    const given = text;
    untrack(() => it.given(given));
  });
  const EFFECTS = [
    ['allow', 'allow'],
    ['block', 'block'],
    ['require', 'require …'],
    ['abstain', 'no opinion'],
  ];
  const offered = $derived(EFFECTS.filter(([effect = '']) => !effects || effects.includes(effect)));
  const mfa: Tree = { kind: 'item', item: 'mfa', name: '', within: '' };
  const choose = (effect: string) => it.changed(!effect ? null : { effect, formula: effect === 'require' ? (it.tree?.formula ?? mfa) : null });
  const formula = $derived(it.tree?.formula ?? null);
</script>

<div class="grid gap-1.5 items-start sm:grid-cols-[7rem_minmax(0,1fr)]">
  <select class="field" aria-label="What the rule does" value={it.tree?.effect ?? ''} onchange={(event) => choose(event.currentTarget.value)}>
    {#if !it.tree || effects}<option value="">{effects ? 'says nothing' : 'choose …'}</option>{/if}
    {#each offered as [value, word] (value)}<option {value}>{word}</option>{/each}
  </select>
  <LanguageBox {id} {label} {language} kind="effect" text={it.text} problems={it.problems} set={(said) => it.typed(said)} />
</div>
{#if formula}
  <div class="mt-1.5" class:opacity-60={!it.current} role="group" aria-label="What it requires, as rows">
    <FormulaRows
      tree={formula.kind === 'item' ? { kind: 'all', parts: [formula] } : formula}
      {language}
      set={(tree) => it.changed({ effect: 'require', formula: tree ?? mfa })}
    />
    {#if it.lacking}<p class="text-fine text-challenged" role="status">{it.lacking}</p>{/if}
  </div>
{/if}
