<script lang="ts">
  // A choice among the values that a fact can have, by their keys or their names.
  import ChoiceBox from '../../../lib/parts/ChoiceBox.svelte';

  let { id, value, options, placeholder, wrong, set }: { id: string; value: string; options: [string, string][]; placeholder: string; wrong: string; set: (value: string) => void } = $props();
  let text = $state('');
  const wanted = $derived(text.trim().toLowerCase());
  const found = $derived(
    options.filter(([key, name]) => !wanted || text === value || key.toLowerCase().startsWith(wanted) || name.toLowerCase().includes(wanted)).slice(0, 60),
  );
  const name = $derived(options.find(([key]) => key === value)?.[1]);
</script>

<ChoiceBox {id} {value} {found} {placeholder} {wrong} {set} search={(typed) => (text = typed)} nothing="None is called that." />
{#if name}<p class="text-fine text-muted">{name}</p>{/if}
