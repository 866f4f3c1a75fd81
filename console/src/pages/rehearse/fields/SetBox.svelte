<script lang="ts">
  // Several of the rulebook's parts, by title. None ticked leaves the fact open.
  import type { FactChoice } from '../../../lib/api/types';

  let { id, value, choices, known, set }: { id: string; value: string; choices: FactChoice[]; known: string; set: (value: string) => void } = $props();
  const chosen = $derived(value.split(',').map((each) => each.trim()).filter(Boolean));
  const toggle = (one: string) => set((chosen.includes(one) ? chosen.filter((each) => each !== one) : [...chosen, one]).join(', '));
</script>

<div {id} tabindex="-1" class="text-small">
  {#if !chosen.length}<p class="text-muted">{known || 'left open'}</p>{/if}
  {#each choices as choice (choice.id)}
    <label class="flex gap-2 py-0.5" title={choice.id}><input type="checkbox" checked={chosen.includes(choice.id)} onchange={() => toggle(choice.id)} />{choice.title}</label>
  {/each}
</div>
