<script lang="ts">
  // A field of one text, a longer one, a choice, a list with commas, or ticks.
  import { COUNTRIES, countryName } from '../../../lib/countries';
  import type { Field } from './fields';

  let { id, field, value, options, known, invalid, set }: {
    id: string;
    field: Field;
    value: unknown;
    options: string[];
    known: string[];
    invalid: boolean;
    set: (value: string | string[]) => void;
  } = $props();
  const text = $derived(Array.isArray(value) ? value.join(', ') : typeof value === 'string' ? value : '');
  const picked = $derived(Array.isArray(value) ? (value as string[]) : typeof value === 'string' && value ? [value] : []);
  // What is being typed keeps its commas.
  let typing = $state<string | null>(null);
  const list = $derived(field.kind === 'words' || field.kind === 'parts');
  const split = (typed: string) => typed.split(/[,\n]/).map((each) => each.trim()).filter(Boolean);
  const tick = (option: string) => set(picked.includes(option) ? picked.filter((each) => each !== option) : [...picked, option]);
</script>

<div class="grid items-start gap-x-3 py-1 sm:grid-cols-[7.5rem_minmax(0,1fr)]">
  {#if field.kind === 'ticks'}
    <span class="pt-1 text-small" id="{id}-label">{field.label}</span>
    <div class="flex flex-wrap gap-x-4 pt-1" role="group" aria-labelledby="{id}-label">
      {#each options as option (option)}
        <label class="text-small"><input type="checkbox" checked={picked.length ? picked.includes(option) : option === field.otherwise} onchange={() => (picked.length ? tick(option) : set(option === field.otherwise ? [] : [field.otherwise ?? '', option].filter(Boolean)))} /> {option}</label>
      {/each}
    </div>
  {:else}
    <label for={id} class="pt-1 text-small">{field.label}</label>
    {#if field.kind === 'choice'}
      <select {id} class="field" value={text} aria-invalid={invalid} onchange={(event) => set(event.currentTarget.value)}>
        <option value="">{field.otherwise ? `${field.otherwise} (when left out)` : 'left out'}</option>
        {#each options as option (option)}<option>{option}</option>{/each}
        {#if text && !options.includes(text)}<option>{text}</option>{/if}
      </select>
    {:else if field.kind === 'long'}
      <textarea {id} class="field min-h-12 resize-y py-1" rows={Math.min(6, Math.max(2, Math.ceil(text.length / 60)))} value={text} aria-invalid={invalid} oninput={(event) => set(event.currentTarget.value)}></textarea>
    {:else}
      <div>
        <input
          {id}
          class="field"
          value={typing ?? text}
          placeholder={field.hint ? `such as ${field.hint}` : ''}
          list={known.length ? `${id}-known` : undefined}
          aria-invalid={invalid}
          autocomplete="off"
          spellcheck="false"
          oninput={(event) => {
            typing = event.currentTarget.value;
            set(list ? split(typing) : typing);
          }}
          onblur={() => (typing = null)}
        />
        {#if field.key === 'countries'}
          <p class="mt-0.5 flex flex-wrap items-center gap-2 text-fine text-muted">
            <select class="field w-48! text-fine" aria-label="Add to {field.label.toLowerCase()} by name" value="" onchange={(event) => {
              if (event.currentTarget.value && !picked.includes(event.currentTarget.value)) set([...picked, event.currentTarget.value]);
              event.currentTarget.value = '';
            }}>
              <option value="">add one by name …</option>
              {#each COUNTRIES as [code, name] (code)}<option value={code}>{name}</option>{/each}
            </select>
            <span>{picked.map(countryName).join(', ')}</span>
          </p>
        {/if}
        {#if known.length}<datalist id="{id}-known">{#each known as word (word)}<option value={word}></option>{/each}</datalist>{/if}
      </div>
    {/if}
  {/if}
</div>
