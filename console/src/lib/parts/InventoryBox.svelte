<script lang="ts">
  // A search over the inventory that also takes an id typed out.
  import { api } from '../api/client';
  import type { Item } from '../api/types';
  import { Load } from '../state/load.svelte';
  import ChoiceBox from './ChoiceBox.svelte';

  let { id, noun, value, wrong, person = '', set }: { id: string; noun: string; value: string; wrong: string; person?: string; set: (value: string) => void } =
    $props();
  const items = new Load<Item[]>();
  const found = $derived((items.value ?? []).map((item): [string, string] => [item.id, item.title]));

  function search(text: string): void {
    void items.run(async (signal) => {
      // Somebody's own devices come first.
      const own = noun === 'devices' && person ? (await api.devicesOf(person, text, signal)).items : [];
      const all = (await api.things(noun, text, signal)).items;
      return [...own, ...all.filter((each) => !own.some((mine) => mine.id === each.id))];
    });
  }
</script>

<ChoiceBox
  {id}
  {value}
  {found}
  {wrong}
  {set}
  {search}
  placeholder="left open; type to find one"
  nothing={items.busy ? 'Searching …' : 'The inventory has none like that.'}
/>
