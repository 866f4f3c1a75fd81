<script lang="ts">
  // The checks of a device standard: what must hold, and the fix its owner can follow.
  import type { Language } from '../language.svelte';
  import ConditionEditor from './ConditionEditor.svelte';

  type Check = Record<string, string>;
  let { checks, path, language, set }: { checks: Record<string, Check>; path: string; language: Language; set: (checks: Record<string, Check>) => void } = $props();
  let adding = $state('');
  const ids = $derived(Object.keys(checks));
  const put = (id: string, key: string, to: string) => {
    const { [key]: _, ...rest } = checks[id] ?? {};
    set({ ...checks, [id]: to ? { ...checks[id], [key]: to } : rest });
  };
  const without = (gone: string) => Object.fromEntries(Object.entries(checks).filter(([id]) => id !== gone));

  function move(at: number, by: number): void {
    const order = [...ids];
    const [id] = order.splice(at, 1);
    order.splice(at + by, 0, id ?? '');
    set(Object.fromEntries(order.map((each) => [each, checks[each] ?? {}])));
  }
  function add(): void {
    const id = adding.trim().toLowerCase().replace(/[^a-z0-9]+/g, '-').replace(/^-|-$/g, '');
    if (id && !(id in checks)) set({ ...checks, [id]: { must: 'device.managed' } });
    adding = '';
  }
</script>

<h3 class="mt-3 border-b border-rule-strong pb-1 font-semibold">Checks <span class="text-small font-normal text-muted">a device passes when all of them hold</span></h3>
{#each ids as id, i (id)}
  <section class="border-b border-rule py-2" aria-label="Check {id}">
    <p class="flex items-center gap-1">
      <span class="flex-1 font-mono text-small font-semibold">{id}</span>
      <button type="button" class="tool" aria-label="Move {id} up" disabled={i === 0} onclick={() => move(i, -1)}>up</button>
      <button type="button" class="tool" aria-label="Move {id} down" disabled={i === ids.length - 1} onclick={() => move(i, 1)}>down</button>
      <button type="button" class="tool" aria-label="Take out {id}" onclick={() => set(without(id))}>out</button>
    </p>
    {#each [['title', 'Title'], ['fix', 'Fix, for the owner']] as [key, label] (key)}
      <label class="grid items-start gap-x-3 py-0.5 text-small sm:grid-cols-[9rem_minmax(0,1fr)]"><span class="pt-1">{label}</span>
        <input class="field" value={checks[id]?.[key ?? ''] ?? ''} oninput={(event) => put(id, key ?? '', event.currentTarget.value)} /></label>
    {/each}
    <p class="pt-1 text-small">Must hold</p>
    <ConditionEditor id="{path}.{id}.must" label="What check {id} asks" {language} text={checks[id]?.must ?? ''} set={(said) => put(id, 'must', said)} />
  </section>
{/each}
<p class="mt-2 flex gap-1"><input class="field w-56" aria-label="Name of one more check" bind:value={adding} placeholder="patched" onkeydown={(event) => event.key === 'Enter' && add()} /><button type="button" class="action" onclick={add}>Add a check</button></p>
