<script lang="ts">
  // A choice among many values by their names; what is typed out counts too. The caller finds the values.
  import { Combobox } from 'bits-ui';

  let { id, value, found, placeholder, nothing, wrong, set, search = () => {} }: {
    id: string;
    value: string;
    /** Values with their names. */
    found: [string, string][];
    placeholder: string;
    /** What is said where none is found. */
    nothing: string;
    wrong: string;
    set: (value: string) => void;
    search?: (text: string) => void;
  } = $props();
  let open = $state(false);
  // What is being typed; it counts once it is chosen, complete or left.
  let text = $derived(value);

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
    {placeholder}
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
      <!-- Made anew with every find: the one that the keys stand on may be gone, and they go on from the first then. -->
      {#key found}
        {#each found as [key, name] (key)}
          <Combobox.Item value={key} label={key} class="flex cursor-pointer gap-3 px-2.5 py-1 data-highlighted:bg-accent-soft">
            <span class="font-mono text-fine">{key}</span><span class="ml-auto text-muted">{name}</span>
          </Combobox.Item>
        {:else}
          <p class="px-2.5 py-1 text-muted">{nothing}</p>
        {/each}
      {/key}
    </Combobox.Content>
  </Combobox.Portal>
</Combobox.Root>
