<script lang="ts">
  // How often on each day, as a small line of bars.
  import type { DayCount } from '../../lib/api/types';

  let { days, label }: { days: DayCount[]; label: string } = $props();
  const DAY = 86_400_000;
  const first = $derived(Date.parse(days[0]?.day ?? ''));
  const span = $derived(Math.max(1, Math.round((Date.parse(days.at(-1)?.day ?? '') - first) / DAY) + 1));
  const most = $derived(Math.max(1, ...days.map((day) => day.count)));
  const width = $derived(Math.min(12, 150 / Math.max(span, 7)));
</script>

<svg viewBox="0 0 150 24" class="h-6 w-full max-w-40" role="img" aria-label="{label}: {days.map((d) => `${d.count} on ${d.day}`).join(', ')}">
  <line x1="0" x2="150" y1="23.5" y2="23.5" stroke="var(--rule-strong)" />
  {#each days as day (day.day)}
    {@const height = Math.max(2, (day.count / most) * 22)}
    <rect
      x={Math.round((Date.parse(day.day) - first) / DAY) * width}
      y={23 - height}
      width={Math.max(1.5, width * 0.7)}
      {height}
      fill="var(--ink)"
      opacity="0.55"><title>{day.day}: {day.count}</title></rect
    >
  {/each}
</svg>
