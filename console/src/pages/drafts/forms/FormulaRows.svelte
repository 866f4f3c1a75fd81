<script lang="ts">
  // A group of requirements: all of them, or any one of them.
  import type { Language } from '../language.svelte';
  import FormulaRows from './FormulaRows.svelte';
  import type { Tree } from './understanding.svelte';

  let { tree, language, set }: { tree: Tree; language: Language; set: (tree: Tree | null) => void } = $props();
  const parts = $derived(tree.parts ?? []);
  const fresh = (): Tree => ({ kind: 'item', item: 'mfa', name: '', within: '' });
  const names = (item: string) => language.writing.ids(language.view?.named[item] ?? '');

  function put(at: number, part: Tree | null): void {
    const left = part ? parts.map((each, i) => (i === at ? part : each)) : parts.filter((_, i) => i !== at);
    set(left.length ? { ...tree, parts: left } : null);
  }
  const choose = (at: number, item: string) => put(at, { kind: 'item', item, name: names(item)[0] ?? '', within: '' });
</script>

<div class="border-l-2 border-rule-strong pl-3">
  {#if parts.length > 1}
    <select class="field mb-1 w-auto text-fine" aria-label="How the requirements go together" value={tree.kind} onchange={(event) => set({ ...tree, kind: event.currentTarget.value })}>
      <option value="all">all of these</option>
      <option value="any">any one of these</option>
    </select>
  {/if}
  {#each parts as part, i (i)}
    <div class="flex items-start gap-1 py-0.5">
      <div class="min-w-0 flex-1">
        {#if part.kind === 'item'}
          <div class="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)_minmax(0,0.7fr)] gap-1">
            <select class="field" aria-label="Requirement" value={part.item} onchange={(event) => choose(i, event.currentTarget.value)}>
              {#each language.view?.items ?? [] as item (item)}<option>{item}</option>{/each}
            </select>
            {#if language.view && part.item && part.item in language.view.named}
              <select class="field" aria-label="Which one" value={part.name} onchange={(event) => put(i, { ...part, name: event.currentTarget.value })}>
                {#each names(part.item) as name (name)}<option>{name}</option>{/each}
                {#if part.name && !names(part.item).includes(part.name)}<option>{part.name}</option>{/if}
              </select>
            {:else}<span></span>{/if}
            {#if language.view?.timed.includes(part.item ?? '')}
              <input class="field" aria-label="Not longer ago than" value={part.within} placeholder="within, 12h" onchange={(event) => put(i, { ...part, within: event.currentTarget.value.trim() })} />
            {/if}
          </div>
        {:else}
          <FormulaRows tree={part} {language} set={(inner) => put(i, inner)} />
        {/if}
      </div>
      {#if part.kind === 'item'}<button type="button" class="tool" title="A group in place of this row" onclick={() => put(i, { kind: tree.kind === 'any' ? 'all' : 'any', parts: [part, fresh()] })}>group</button>{/if}
      <button type="button" class="tool" aria-label="Take out requirement {i + 1}" onclick={() => put(i, null)}>out</button>
    </div>
  {/each}
  <button type="button" class="text-fine text-accent underline underline-offset-3" onclick={() => set({ ...tree, parts: [...parts, fresh()] })}>one more requirement</button>
</div>
