<script lang="ts">
  // People or apps that a scope names: a search over the inventory that tells how many each covers; a condition too.
  import { Combobox } from 'bits-ui';
  import { tick } from 'svelte';
  import { api } from '../../../lib/api/client';
  import type { SelectorView } from '../../../lib/api/types';
  import { count } from '../../../lib/format';
  import { Load } from '../../../lib/state/load.svelte';
  import type { Language } from '../language.svelte';
  import ConditionEditor from './ConditionEditor.svelte';

  type Entry = string | { where: string };
  let { id, label, side, entries, otherwise = '', language, set }: {
    id: string;
    label: string;
    side: 'people' | 'apps';
    entries: Entry[];
    otherwise?: string;
    language: Language;
    set: (entries: Entry[]) => void;
  } = $props();
  const found = new Load<SelectorView[]>();
  const known = $derived(new Map((found.value ?? []).map((each) => [each.selector, each])));
  let open = $state(false);
  let text = $state('');
  let entered = false;
  const items = $derived(found.value ?? []);

  function search(wanted: string): void {
    text = wanted;
    open = true;
    entered = false;
    void found.run(async (signal) => (await api.selectors(side, wanted, signal)).items).then(() => {
      if (entered && !found.busy) add(items[0]?.selector ?? text.trim());
    });
  }
  function add(chosen: string): void {
    if (chosen && !entries.includes(chosen)) set([...entries, chosen]);
    open = false;
    entered = false;
    // The field writes what was chosen into itself, after this: it is empty again for the next one.
    text = chosen;
    void tick().then(() => (text = ''));
  }
  /** Enter takes what is chosen; while the search is under way, what it finds; of nothing found, what was typed. */
  function key(event: KeyboardEvent): void {
    if (event.key === 'Escape' && open) event.stopPropagation();
    if (event.key !== 'Enter') return;
    const chosen = event.currentTarget instanceof Element && event.currentTarget.getAttribute('aria-activedescendant');
    if (open && items.length && !found.busy && chosen) return;
    event.preventDefault();
    entered = found.busy;
    if (!entered) add((open && items[0]?.selector) || text.trim());
  }
  const put = (at: number, entry: Entry | null) => set(entry === null ? entries.filter((_, i) => i !== at) : entries.map((each, i) => (i === at ? entry : each)));
</script>

<div class="py-1" role="group" aria-label={label}>
  <div class="grid items-start gap-x-3 sm:grid-cols-[7.5rem_minmax(0,1fr)]">
    <label for={id} class="pt-1 text-small">{label}</label>
    <div>
      <ul class="flex flex-wrap gap-1">
        {#each entries as entry, i (i)}
          {#if typeof entry === 'string'}
            <li class="inline-flex items-center gap-1 border border-rule-strong bg-sunk px-1.5 font-mono text-fine">
              {entry}
              <button type="button" class="px-1 text-accent" aria-label="Take out {entry}" onclick={() => put(i, null)}>out</button>
            </li>
          {/if}
        {:else}
          {#if otherwise}<li class="text-fine text-muted">{otherwise}</li>{/if}
        {/each}
      </ul>
      <div class="mt-1">
        <!-- Nothing stays chosen here: what was added and taken out can be added again. -->
        <Combobox.Root type="single" bind:value={() => '', add} inputValue={text} bind:open>
          <Combobox.Input
            {id}
            class="field"
            placeholder="search to add"
            autocomplete="off"
            spellcheck={false}
            oninput={(event) => search(event.currentTarget.value)}
            onkeydown={key}
          />
          <Combobox.Portal>
            <Combobox.Content
              sideOffset={3}
              align="start"
              aria-label="{label}: found"
              class="z-20 max-h-72 w-(--bits-combobox-anchor-width) min-w-80 overflow-y-auto border border-rule-strong bg-raised py-1 text-small shadow-lg"
            >
              <!-- Made anew with every find: the one that the keys stand on may be gone, and they go on from the first then. -->
              {#key items}
                {#each items as item (item.selector)}
                  <Combobox.Item value={item.selector} label={item.selector} class="flex cursor-pointer gap-3 px-2.5 py-1 data-highlighted:bg-accent-soft">
                    <span class="font-mono text-fine">{item.selector}</span>
                    <span class="text-fine text-muted">{item.title}</span>
                    <span class="ml-auto text-fine whitespace-nowrap text-muted">{side === 'people' ? count(item.count, 'person', 'people') : count(item.count, 'app')}</span>
                  </Combobox.Item>
                {/each}
              {/key}
            </Combobox.Content>
          </Combobox.Portal>
        </Combobox.Root>
        {#if open && found.value && !items.length}<p class="text-fine text-muted">The inventory has none like that; Enter takes it as it is.</p>{/if}
      </div>
      {#each entries as entry, i (i)}
        {#if typeof entry !== 'string'}
          <div class="mt-2">
            <p class="flex items-center justify-between text-fine text-muted">{side === 'people' ? 'those of whom' : 'apps of which'} this holds
              <button type="button" class="text-accent underline underline-offset-3" onclick={() => put(i, null)}>take this condition out</button></p>
            <ConditionEditor id="{id}-where-{i}" label="{label}: {side === 'people' ? 'those of whom' : 'apps of which'}" {language} text={entry.where} only={side === 'people' ? 'person.' : 'app.'} set={(where) => put(i, { where })} />
          </div>
        {/if}
      {/each}
      <button type="button" class="mt-1 text-fine text-accent underline underline-offset-3" onclick={() => set([...entries, { where: '' }])}>or by a condition</button>
      {#each entries as entry (entry)}{#if typeof entry === 'string' && known.get(entry)?.count === 0}<p class="text-fine text-challenged">{entry} covers nobody now.</p>{/if}{/each}
    </div>
  </div>
</div>
