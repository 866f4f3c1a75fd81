<script lang="ts">
  // Combinations of methods, one a row; one whole row is enough.
  let { id, label, hint, rows, set }: { id: string; label: string; hint: string; rows: string[][]; set: (rows: string[][]) => void } = $props();
  let extra = $state(0);
  const shown = $derived([...rows, ...Array.from({ length: extra }, (): string[] => [])]);
  const split = (typed: string) => typed.split(',').map((each) => each.trim()).filter(Boolean);

  function put(at: number, row: string[]): void {
    const made = shown.map((each, i) => (i === at ? row : each)).filter((each) => each.length);
    extra = Math.max(0, shown.length - made.length);
    set(made);
  }
</script>

<div class="py-1" role="group" aria-label={label}>
  <p class="text-small">{label} <span class="text-fine text-muted">methods of RFC 8176 with commas; one whole row is enough</span></p>
  {#each shown as row, i (i)}
    <div class="flex gap-1 py-0.5">
      <input id={i ? `${id}-${i}` : id} class="field" aria-label="Combination {i + 1}" value={row.join(', ')} placeholder="such as {hint}" onchange={(event) => put(i, split(event.currentTarget.value))} />
      <button type="button" class="tool" aria-label="Take out combination {i + 1}" onclick={() => put(i, [])}>out</button>
    </div>
  {/each}
  <button type="button" class="text-fine text-accent underline underline-offset-3" onclick={() => extra++}>one more</button>
</div>
