<script lang="ts">
  // A week of half hours: dragged over with the mouse, or walked with the arrow keys and turned with Space; Shift extends.
  import { DAYS, SLOTS, readWeek, writeWeek } from './week';

  let { hours, set }: { hours: Record<string, unknown>; set: (hours: Record<string, string[]>) => void } = $props();
  const NAMES = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];
  const week = $derived(readWeek(hours));
  let at = $state<[number, number]>([0, 16]);
  let painting = $state<boolean | null>(null);
  let grid = $state<HTMLElement>();
  const clock = (slot: number) => `${String(Math.floor(slot / 2)).padStart(2, '0')}:${slot % 2 ? '30' : '00'}`;

  function put(day: number, slot: number, open: boolean): void {
    if (!week || week[day]?.[slot] === open) return;
    set(writeWeek(week.map((each, d) => (d === day ? each.map((was, s) => (s === slot ? open : was)) : each))));
  }
  function key(event: KeyboardEvent): void {
    const [day, slot] = at;
    const by: Record<string, [number, number]> = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1], Home: [0, -slot], End: [0, SLOTS - 1 - slot] };
    const step = by[event.key];
    if (event.key === ' ' || event.key === 'Enter') {
      event.preventDefault();
      put(day, slot, !week?.[day]?.[slot]);
    } else if (step) {
      event.preventDefault();
      const next: [number, number] = [Math.min(6, Math.max(0, day + step[0])), Math.min(SLOTS - 1, Math.max(0, slot + step[1]))];
      if (event.shiftKey) put(next[0], next[1], Boolean(week?.[day]?.[slot]));
      at = next;
      grid?.querySelector<HTMLElement>(`[data-at="${at[0]}-${at[1]}"]`)?.focus();
    }
  }
</script>

<svelte:window onpointerup={() => (painting = null)} />
<h3 class="mt-3 text-small">Open hours of a week <span class="text-fine text-muted">drag, or arrow keys and Space; Shift and an arrow goes on</span></h3>
{#if week}
  <div class="my-1 overflow-x-auto">
    <div bind:this={grid} role="grid" tabindex="-1" aria-label="Open hours of a week" class="min-w-[29rem] select-none" onkeydown={key}>
      <div class="flex pl-10 text-fine text-muted" aria-hidden="true">{#each [0, 3, 6, 9, 12, 15, 18, 21] as hour (hour)}<span class="flex-1">{String(hour).padStart(2, '0')}</span>{/each}</div>
      {#each DAYS as day, d (day)}
        <div role="row" class="flex items-center">
          <span class="w-10 text-fine" role="rowheader">{day}</span>
          {#each week[d] ?? [] as open, s (s)}
            <button
              type="button"
              role="gridcell"
              data-at="{d}-{s}"
              tabindex={at[0] === d && at[1] === s ? 0 : -1}
              aria-selected={open}
              aria-label="{NAMES[d]} {clock(s)} {open ? 'open' : 'closed'}"
              class="h-5 flex-1 border-y border-rule {s % 6 === 0 ? 'border-l border-l-rule-strong' : 'border-l border-l-rule'} {open ? 'bg-accent' : 'bg-raised'}"
              onpointerdown={(event) => {
                event.preventDefault();
                painting = !open;
                at = [d, s];
                put(d, s, !open);
              }}
              onpointerenter={() => painting !== null && put(d, s, painting)}
            ></button>
          {/each}
        </div>
      {/each}
    </div>
  </div>
{:else}
  <p class="text-fine text-muted">These hours do not fall on half hours, so the grid cannot show them; write them below.</p>
{/if}
{#each Object.entries(hours) as [days, windows] (days)}
  <label class="flex items-center gap-2 py-0.5 text-fine"><span class="w-20 font-mono">{days}</span>
    <input class="field" value={Array.isArray(windows) ? windows.join(', ') : String(windows)} aria-label="Hours of {days}" onchange={(event) => set({ ...(hours as Record<string, string[]>), [days]: event.currentTarget.value.split(',').map((each) => each.trim()).filter(Boolean) })} /></label>
{/each}
