<script lang="ts">
  // A choice among many values by their names; what is typed out counts too.
  import { Combobox } from 'bits-ui';

  let { id, value, options, placeholder, wrong, set }: { id: string; value: string; options: [string, string][]; placeholder: string; wrong: string; set: (value: string) => void } = $props();
  let open = $state(false);
  let text = $derived(value);
  const wanted = $derived(text.trim().toLowerCase());
  const found = $derived(
    options.filter(([key, name]) => !wanted || text === value || key.toLowerCase().startsWith(wanted) || name.toLowerCase().includes(wanted)).slice(0, 60),
  );
  const name = $derived(options.find(([key]) => key === value)?.[1]);

  function typed(event: Event & { currentTarget: HTMLInputElement }): void {
    text = event.currentTarget.value;
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
    onfocus={() => (open = true)}
    onblur={() => text !== value && set(text)}
    oninput={typed}
  />
  <Combobox.Portal>
    <Combobox.Content sideOffset={3} align="start" class="z-20 max-h-72 w-(--bits-combobox-anchor-width) min-w-64 overflow-y-auto border border-rule-strong bg-raised py-1 text-small shadow-lg">
      {#each found as [key, word] (key)}
        <Combobox.Item value={key} label={key} class="flex cursor-pointer gap-3 px-2.5 py-1 data-highlighted:bg-accent-soft">
          <span>{word}</span><span class="ml-auto font-mono text-fine text-muted">{key}</span>
        </Combobox.Item>
      {:else}
        <p class="px-2.5 py-1 text-muted">None is called that.</p>
      {/each}
    </Combobox.Content>
  </Combobox.Portal>
</Combobox.Root>
{#if name}<p class="text-fine text-muted">{name}</p>{/if}
