<script lang="ts" module>
  // One zone for all moments: who has chosen it reads every moment in it.
  let chosen = $state('');
</script>

<script lang="ts">
  // A moment: typed out, or the next such weekday at a time in a zone.
  import { DAYS, next, shownIn } from './moments';

  let { id, value, zones, placeholder, wrong, set }: { id: string; value: string; zones: string[]; placeholder: string; wrong: string; set: (value: string) => void } = $props();
  const own = Intl.DateTimeFormat().resolvedOptions().timeZone;
  const all = $derived([...new Set([...zones, own, 'UTC'])]);
  const zone = $derived(chosen || all[0] || 'UTC');
  const clock = $derived(shownIn(zone, value));

  function choose(day: string, time: string, where: string): void {
    if (day) set(next(Number(day), time || '08:00', where, Date.now()));
  }
</script>

<input {id} class="field" {value} {placeholder} aria-invalid={Boolean(wrong)} aria-describedby={wrong ? `${id}-wrong` : undefined} autocomplete="off" spellcheck="false" oninput={(event) => set(event.currentTarget.value)} />
<div class="mt-1 grid grid-cols-2 gap-1">
  <select class="field min-w-0" aria-label="On the next" bind:value={() => clock.day, (to) => choose(to, clock.time, zone)}>
    <option value="">next …</option>
    {#each DAYS as word, i (word)}<option value={String(i)}>{word}</option>{/each}
  </select>
  <input class="field min-w-0" type="time" aria-label="At" bind:value={() => clock.time, (to) => choose(clock.day, to, zone)} />
  <select class="field col-span-2 min-w-0" aria-label="Zone" bind:value={() => zone, (to) => ((chosen = to), choose(clock.day, clock.time, to))}>
    {#each all as each (each)}<option value={each}>{each}</option>{/each}
  </select>
</div>
