<script lang="ts">
  // One fact: a choice where the values are listed, a search over the inventory for people, apps and devices, pickers
  // for places, countries, moments, proofs and parts of the rulebook, else a text.
  import type { FactList, FactView } from '../../../lib/api/types';
  import { COUNTRIES } from '../../../lib/countries';
  import NamedBox from './NamedBox.svelte';
  import InventoryBox from '../../../lib/parts/InventoryBox.svelte';
  import MethodsBox from './MethodsBox.svelte';
  import MomentBox from './MomentBox.svelte';
  import SetBox from './SetBox.svelte';

  interface Field {
    fact: FactView;
    facts: FactList;
    value: string;
    wrong: string;
    /** What the fact is without being given, and where from. */
    known?: string;
    /** Whose devices come first. */
    person?: string;
    /** Tells two boxes for one fact apart. */
    side?: string;
    set: (value: string) => void;
    /** Takes several facts at once, as a place gives them; empty ones are left open. */
    setMany: (values: Record<string, string>) => void;
  }
  let { fact, facts, value, wrong, known = '', person = '', side = '', set, setMany }: Field = $props();
  const NOUNS: Record<string, string> = { 'person.id': 'people', 'app.id': 'apps', 'device.id': 'devices' };
  const NETWORK = ['network.ip', 'network.country', 'network.city', 'network.asn', 'network.anonymiser'];
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
  const id = $derived(`${side}fact-${fact.name}`);
  const noun = $derived(NOUNS[fact.name]);
  const words = $derived(fact.type === 'flag' ? ['yes', 'no'] : ['word', 'level'].includes(fact.type) ? fact.words : []);
  const placeholder = $derived(known || `left open${HINTS[fact.type] ? `; ${HINTS[fact.type]}` : ''}`);

  function from(place: string): void {
    const given = facts.places.find((each) => each.id === place)?.given;
    if (given) setMany({ ...Object.fromEntries(NETWORK.map((name) => [name, ''])), ...given });
  }
</script>

<div class="grid grid-cols-[11rem_minmax(0,1fr)] items-start gap-x-3 py-1">
  <label for={id} class="text-small leading-tight wrap-anywhere" title={fact.doc}>{fact.label || fact.name}<span class="block font-mono text-fine text-muted">{fact.name}</span></label>
  <div class="min-w-0">
    {#if noun}
      <InventoryBox {id} {noun} {value} {wrong} {person} {set} />
    {:else if words.length && words.length <= 12}
      <select {id} class="field {value ? '' : 'text-muted'}" {value} aria-invalid={Boolean(wrong)} onchange={(e) => set(e.currentTarget.value)}>
        <option value="">{known || 'left open'}</option>
        {#each words as word (word)}<option value={word}>{word}</option>{/each}
      </select>
    {:else if fact.name === 'network.country'}
      <NamedBox {id} {value} options={COUNTRIES} placeholder={known || 'left open; such as Norway'} {wrong} {set} />
    {:else if fact.type === 'moment'}
      <MomentBox {id} {value} zones={facts.zones} {placeholder} {wrong} {set} />
    {:else if fact.type === 'methods' && fact.choices.length}
      <MethodsBox {id} {value} choices={fact.choices} {placeholder} {wrong} {set} />
    {:else if fact.choices.length && fact.choices.length <= 12}
      <SetBox {id} {value} choices={fact.choices} {known} {set} />
    {:else}
      <input
        {id}
        class="field"
        {value}
        {placeholder}
        aria-invalid={Boolean(wrong)}
        aria-describedby={wrong ? `${id}-wrong` : undefined}
        autocomplete="off"
        spellcheck="false"
        oninput={(event) => set(event.currentTarget.value)}
      />
      {#if fact.name === 'network.ip' && facts.places.length}
        <select class="field mt-1 text-muted" aria-label="From a place" value="" onchange={(event) => (from(event.currentTarget.value), (event.currentTarget.value = ''))}>
          <option value="">from a place …</option>
          {#each facts.places as place (place.id)}<option value={place.id}>{place.title}</option>{/each}
        </select>
      {/if}
    {/if}
    {#if wrong}<p id="{id}-wrong" class="mt-0.5 text-fine text-blocked">{wrong}</p>{/if}
  </div>
</div>
