<script lang="ts">
  // One fact: a choice where the values are listed, a search over the inventory for people, apps and devices, else a text.
  import type { FactView } from '../../lib/api/types';
  import InventoryBox from './InventoryBox.svelte';

  let { fact, value, wrong, known = '', set }: { fact: FactView; value: string; wrong: string; known?: string; set: (value: string) => void } = $props();
  const NOUNS: Record<string, string> = { 'person.id': 'people', 'app.id': 'apps', 'device.id': 'devices' };
  const HINTS: Record<string, string> = {
    version: '14.2',
    moment: '2026-11-22T07:10:00Z',
    duration: '15m, 4h, 30d',
    path: '/fleet/deck',
    names: 'several, with commas',
    methods: 'pwd, otp:15m',
    address: '192.0.2.7',
    number: 'a number',
  };
  const id = $derived(`fact-${fact.name}`);
  const noun = $derived(NOUNS[fact.name]);
  const words = $derived(fact.type === 'flag' ? ['yes', 'no'] : ['word', 'level'].includes(fact.type) ? fact.words : []);
</script>

<div class="grid grid-cols-[11rem_minmax(0,1fr)] items-start gap-x-3 py-1">
  <label for={id} class="text-small leading-tight wrap-anywhere" title={fact.doc}>{fact.label || fact.name}<span class="block font-mono text-fine text-muted">{fact.name}</span></label>
  <div>
    {#if noun}
      <InventoryBox {id} {noun} {value} {wrong} {set} />
    {:else if words.length && words.length <= 12}
      <select {id} class="field {value ? '' : 'text-muted'}" {value} aria-invalid={Boolean(wrong)} onchange={(e) => set(e.currentTarget.value)}>
        <option value="">{known || 'left open'}</option>
        {#each words as word (word)}<option value={word}>{word}</option>{/each}
      </select>
    {:else}
      <input
        {id}
        class="field"
        {value}
        placeholder={known || fact.name === 'network.country' ? known || 'such as NO' : `left open${HINTS[fact.type] ? `; ${HINTS[fact.type]}` : ''}`}
        aria-invalid={Boolean(wrong)}
        aria-describedby={wrong ? `${id}-wrong` : undefined}
        autocomplete="off"
        spellcheck="false"
        oninput={(event) => set(event.currentTarget.value)}
      />
    {/if}
    {#if wrong}<p id="{id}-wrong" class="mt-0.5 text-fine text-blocked">{wrong}</p>{/if}
  </div>
</div>
