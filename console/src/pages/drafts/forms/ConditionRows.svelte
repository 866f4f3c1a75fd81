<script lang="ts">
  // A group of tests: all of, any of, not, or surely; each part a row or a group of its own.
  import type { Language } from '../language.svelte';
  import ConditionRows from './ConditionRows.svelte';
  import TestRow from './TestRow.svelte';
  import type { Tree } from './understanding.svelte';

  let { tree, language, only, top, root = false, set }: {
    tree: Tree;
    language: Language;
    only: string;
    top: string;
    root?: boolean;
    set: (tree: Tree | null) => void;
  } = $props();
  const GROUPS = [
    ['all', 'all of these'],
    ['any', 'any of these'],
    ['not', 'not this'],
    ['surely', 'surely this'],
  ];
  const parts = $derived(tree.parts ?? []);
  const single = $derived(tree.kind === 'not' || tree.kind === 'surely');
  const fresh = (): Tree => ({ kind: 'test', test: 'fact', fact: '', op: '', values: [] });

  function kind(wanted: string): void {
    const one = wanted === 'not' || wanted === 'surely';
    if (one && parts.length > 1) set({ kind: wanted, parts: [{ kind: single ? 'all' : tree.kind, parts }] });
    else if (!one && single && parts[0] && (parts[0].kind === 'all' || parts[0].kind === 'any')) set({ ...parts[0], kind: wanted });
    else set({ kind: wanted, parts });
  }

  function put(at: number, part: Tree | null): void {
    const left = part ? parts.map((each, i) => (i === at ? part : each)) : parts.filter((_, i) => i !== at);
    set(left.length ? { ...tree, parts: left } : null);
  }
  const wrap = (at: number) => put(at, { kind: tree.kind === 'any' ? 'all' : 'any', parts: [parts[at] ?? fresh(), fresh()] });
</script>

<div class="border-l-2 border-rule-strong pl-3">
  <div class="flex items-center gap-2 pb-1" hidden={root && tree.kind === 'all' && parts.length < 2}>
    <select class="field w-auto text-fine" aria-label="How the rows go together" value={tree.kind} onchange={(event) => kind(event.currentTarget.value)}>
      {#each GROUPS as [value, word] (value)}<option {value}>{word}</option>{/each}
    </select>
  </div>
  {#each parts as part, i (i)}
    {@const test = part.kind === 'test' ? part : part.kind === 'not' && part.parts?.[0]?.kind === 'test' ? part.parts[0] : null}
    {@const negated = part.kind === 'not'}
    <div class="flex items-start gap-1 py-0.5">
      {#if test}
        <button type="button" class="tool" aria-pressed={negated} onclick={() => put(i, negated ? test : { kind: 'not', parts: [test] })}>not</button>
      {/if}
      <div class="min-w-0 flex-1">
        {#if test}
          <TestRow {test} {language} {only} id="{top}-{i}" set={(made) => put(i, negated ? { kind: 'not', parts: [made] } : made)} />
        {:else}
          <ConditionRows tree={part} {language} {only} top="{top}-{i}" set={(inner) => put(i, inner)} />
        {/if}
      </div>
      {#if test}<button type="button" class="tool" title="A group in place of this row" onclick={() => wrap(i)}>group</button>{/if}
      <button type="button" class="tool" aria-label="Take out row {i + 1}" onclick={() => put(i, null)}>out</button>
    </div>
  {/each}
  {#if !root && (tree.kind === 'any' || tree.kind === 'all')}
    <button type="button" class="text-fine text-accent underline underline-offset-3" onclick={() => set({ ...tree, parts: [...parts, fresh()] })}>one more in this group</button>
  {/if}
</div>
