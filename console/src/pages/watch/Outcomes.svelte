<script lang="ts">
  // How sign-ins came out over the last days: a row each outcome, so that few blocks are seen beside many that get in.
  import type { DayOutcomes } from '../../lib/api/types';
  import { number } from '../../lib/format';
  import Mark from '../../lib/parts/Mark.svelte';

  let { days }: { days: DayOutcomes[] } = $props();
  const ROWS = ['allowed', 'challenged', 'blocked'] as const;
  const COLOURS = { allowed: 'text-allowed', challenged: 'text-challenged', blocked: 'text-blocked' };
  const HEIGHT = 34;
  const most = (outcome: (typeof ROWS)[number]) => Math.max(1, ...days.map((day) => day[outcome] ?? 0));
</script>

<div class="grid max-w-3xl grid-cols-[7rem_minmax(0,1fr)_5rem] items-end gap-x-3 gap-y-1">
  {#each ROWS as outcome (outcome)}
    <span class="text-small"><Mark value={outcome} size={11} /></span>
    <svg viewBox="0 0 {days.length * 10} {HEIGHT}" preserveAspectRatio="none" class="h-9 w-full {COLOURS[outcome]}" role="img" aria-label="{outcome}, by day: {days.map((day) => `${day.day} ${day[outcome] ?? 0}`).join(', ')}">
      {#each days as day, i (day.day)}
        {@const height = ((day[outcome] ?? 0) * HEIGHT) / most(outcome)}
        <rect x={i * 10 + 1} y={HEIGHT - height} width="8" {height} fill="currentColor" fill-opacity="0.7"><title>{day.day}: {number(day[outcome] ?? 0)}</title></rect>
      {/each}
    </svg>
    <span class="text-right text-small tabular-nums">{number(days.reduce((sum, day) => sum + (day[outcome] ?? 0), 0))}</span>
  {/each}
  <span></span><span class="flex justify-between text-fine text-muted tabular-nums"><span>{days[0]?.day}</span><span>{days.at(-1)?.day}</span></span><span class="text-right text-fine text-muted">in all</span>
</div>
