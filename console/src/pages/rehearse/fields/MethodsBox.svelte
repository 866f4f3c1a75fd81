<script lang="ts">
  // The proofs given in the session: typed out, or by the factor and how long ago it was used.
  import type { FactChoice } from '../../../lib/api/types';
  import { age, AGES, using } from './methods';

  let { id, value, choices, placeholder, wrong, set }: { id: string; value: string; choices: FactChoice[]; placeholder: string; wrong: string; set: (value: string) => void } = $props();
</script>

<input {id} class="field" {value} {placeholder} aria-invalid={Boolean(wrong)} aria-describedby={wrong ? `${id}-wrong` : undefined} autocomplete="off" spellcheck="false" oninput={(event) => set(event.currentTarget.value)} />
<details class="mt-1 text-small">
  <summary class="cursor-pointer text-accent">by the factor used</summary>
  {#each choices as choice (choice.id)}
    {@const ago = age(value, choice)}
    <label class="flex items-center justify-between gap-2 py-0.5">{choice.title}
      <select class="field w-auto" value={ago} onchange={(event) => set(using(value, choice, event.currentTarget.value))}>
        <option value="">not used</option>
        {#if ago && !AGES.some(([key]) => key === ago)}<option value={ago}>{ago} ago</option>{/if}
        {#each AGES as [key, word] (key)}<option value={key}>{word}</option>{/each}
      </select></label>
  {/each}
</details>
