<script lang="ts">
  // A search over the inventory that also takes an id typed out.
  import { Combobox } from 'bits-ui';
  import { api } from '../api/client';
  import type { Item } from '../api/types';
  import { Load } from '../state/load.svelte';

  let { id, noun, value, wrong, person = '', set }: { id: string; noun: string; value: string; wrong: string; person?: string; set: (value: string) => void } =
    $props();
  const found = new Load<Item[]>();
  let open = $state(false);
  // What is being typed; it counts once it is chosen, complete or left.
  let text = $derived(value);

  function search(text: string): void {
    void found.run(async (signal) => {
      // Somebody's own devices come first.
      const own = noun === 'devices' && person ? (await api.devicesOf(person, text, signal)).items : [];
      const all = (await api.things(noun, text, signal)).items;
      return [...own, ...all.filter((each) => !own.some((mine) => mine.id === each.id))];
    });
  }

  function typed(event: Event & { currentTarget: HTMLInputElement }): void {
    text = event.currentTarget.value;
    search(text);
    open = true;
    if (!text) set('');
  }
</script>

<Combobox.Root type="single" {value} inputValue={text} bind:open onValueChange={(chosen) => chosen && set(chosen)}>
  <Combobox.Input
    {id}
    class="field"
    placeholder="left open; type to find one"
    aria-invalid={Boolean(wrong)}
    aria-describedby={wrong ? `${id}-wrong` : undefined}
    autocomplete="off"
    spellcheck={false}
    onfocus={() => search(text)}
    onclick={() => (open = true)}
    onblur={() => text !== value && set(text)}
    oninput={typed}
  />
  <Combobox.Portal>
    <Combobox.Content
      sideOffset={3}
      align="start"
      class="z-20 max-h-72 w-(--bits-combobox-anchor-width) min-w-72 overflow-y-auto border border-rule-strong bg-raised py-1 text-small shadow-lg"
    >
      {#each found.value ?? [] as item (item.id)}
        <Combobox.Item
          value={item.id}
          label={item.id}
          class="flex cursor-pointer gap-3 px-2.5 py-1 data-highlighted:bg-accent-soft"
        >
          <span class="font-mono text-fine">{item.id}</span><span class="ml-auto text-muted">{item.title}</span>
        </Combobox.Item>
      {:else}
        <p class="px-2.5 py-1 text-muted">{found.busy ? 'Searching …' : 'The inventory has none like that.'}</p>
      {/each}
    </Combobox.Content>
  </Combobox.Portal>
</Combobox.Root>
