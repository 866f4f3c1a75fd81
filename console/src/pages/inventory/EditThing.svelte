<script lang="ts">
  // An object changed in place: what differs is sent, as it was seen; somebody else's change in between is refused.
  import { untrack } from 'svelte';
  import { inventory, type Noun } from '../../lib/api/inventory';
  import type { Item } from '../../lib/api/types';
  import Failing from '../../lib/parts/Failing.svelte';
  import { Act } from '../../lib/state/act.svelte';
  import { changes, FIELDS, typedField } from './fields';

  let { noun, item, done, cancel }: { noun: Noun; item: Item | null; done: (id: string) => unknown; cancel: () => unknown } = $props();
  const fields = $derived(FIELDS[noun]);
  const acting = new Act();
  let id = $state('');
  let typed = $state<Record<string, string>>(untrack(() => Object.fromEntries(FIELDS[noun].map((field) => [field.name, typedField(field, item?.document[field.name])]))));

  async function save(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    const changed = changes(fields, item?.document ?? {}, typed);
    const name = item?.id ?? id.trim();
    const work = item ? () => inventory.change(noun, item, changed) : () => inventory.add(noun, name, changed);
    if (await acting.run(work)) done(name);
  }
</script>

<svelte:window onkeydown={(event) => event.key === 'Escape' && cancel()} />
<form class="mb-6 border-y border-rule-strong bg-raised px-4 py-4" onsubmit={save}>
  <div class="grid gap-x-5 gap-y-2 text-small sm:grid-cols-2 lg:grid-cols-3">
    {#if !item}
      <label>Id<input class="field" bind:value={id} required autocomplete="off" spellcheck="false" /></label>
    {/if}
    {#each fields as field (field.name)}
      <label>{field.label}
        {#if field.kind === 'flag' || field.kind === 'words'}
          <select class="field" bind:value={typed[field.name]}>
            <option value="">not known</option>
            {#each field.words ?? ['yes', 'no'] as word (word)}<option value={word}>{word}</option>{/each}
          </select>
        {:else}
          <input class="field" bind:value={typed[field.name]} placeholder={field.kind === 'set' ? 'with commas' : ''} autocomplete="off" spellcheck="false" />
        {/if}
      </label>
    {/each}
  </div>
  {#if acting.refused}<div class="mt-3"><Failing problem={acting.refused} /></div>{/if}
  <div class="mt-3 flex gap-2"><button class="action">{item ? 'Save' : 'Add'}</button><button class="action" type="button" onclick={cancel}>Cancel</button></div>
</form>
