<script lang="ts">
  // Sign-ins by day, stacked by outcome; a day is a link that narrows the list to it.
  import { scaleLinear } from './scale';
  import type { Day } from '../../lib/api/types';
  import { number } from '../../lib/format';

  let { days, href }: { days: Day[]; href: (day: string) => string } = $props();
  const WIDTH = 1000;
  const HEIGHT = 72;
  const total = (day: Day) => day.allowed + day.challenged + day.blocked;
  const y = $derived(scaleLinear(Math.max(1, ...days.map(total)), HEIGHT));
  const step = $derived(WIDTH / Math.max(days.length, 12));
  const label = (day: Day) =>
    `${day.day}: ${number(day.allowed)} allowed, ${number(day.challenged)} challenged, ${number(day.blocked)} blocked`;
</script>

<svg viewBox="0 0 {WIDTH} {HEIGHT + 2}" class="h-20 w-full" preserveAspectRatio="none" role="group" aria-label="Sign-ins by day">
  <line x1="0" x2={WIDTH} y1={HEIGHT + 1} y2={HEIGHT + 1} stroke="var(--rule-strong)" vector-effect="non-scaling-stroke" />
  {#each days as day, i (day.day)}
    {@const blocked = y(day.blocked)}
    {@const challenged = y(day.challenged)}
    {@const allowed = y(day.allowed)}
    <a href={href(day.day)} aria-label={label(day)} class="group">
      <title>{label(day)}</title>
      <rect x={i * step} y="0" width={step} height={HEIGHT} fill="transparent" class="group-hover:fill-sunk group-focus:fill-sunk" />
      <rect x={i * step + step * 0.15} width={step * 0.7} y={HEIGHT - allowed} height={allowed} fill="var(--rule-strong)" />
      <rect x={i * step + step * 0.15} width={step * 0.7} y={HEIGHT - allowed - challenged} height={challenged} fill="var(--challenged)" />
      <rect
        x={i * step + step * 0.15}
        width={step * 0.7}
        y={HEIGHT - allowed - challenged - Math.max(blocked, day.blocked ? 2 : 0)}
        height={Math.max(blocked, day.blocked ? 2 : 0)}
        fill="var(--blocked)"
      />
    </a>
  {/each}
</svg>
{#if days.length}
  <p class="flex justify-between text-fine text-muted"><span>{days[0]?.day}</span><span>{days.at(-1)?.day}</span></p>
{/if}
