<script lang="ts">
  // Sign-ins by day, stacked by outcome. A day is a link that narrows the list to it; dragging over several narrows it
  // to all of them, and the two dates do the same by keyboard.
  import { scaleLinear } from './scale';
  import type { Day } from '../../lib/api/types';
  import { isDay, number } from '../../lib/format';

  let { days, href, choose }: { days: Day[]; href: (first: string, last: string) => string; choose: (first: string, last: string) => unknown } = $props();
  const WIDTH = 1000;
  const HEIGHT = 72;
  const total = (day: Day) => day.allowed + day.challenged + day.blocked;
  const y = $derived(scaleLinear(Math.max(1, ...days.map(total)), HEIGHT));
  const step = $derived(WIDTH / Math.max(days.length, 12));
  const label = (day: Day) =>
    `${day.day}: ${number(day.allowed)} allowed, ${number(day.challenged)} challenged, ${number(day.blocked)} blocked`;
  let chart = $state<SVGSVGElement>();
  let from = $state<number | null>(null);
  let to = $state(0);
  const first = $derived(days[0]?.day ?? '');
  const last = $derived(days.at(-1)?.day ?? '');
  const brushed = $derived(from === null ? null : [Math.min(from, to), Math.max(from, to)] as const);

  function dayAt(event: PointerEvent): number {
    const box = chart?.getBoundingClientRect();
    if (!box) return 0;
    const at = Math.floor(((event.clientX - box.left) / box.width) * (WIDTH / step));
    return Math.max(0, Math.min(days.length - 1, at));
  }

  /** A day as the page writes them; what is none is put back. */
  function picked(field: HTMLInputElement, before: string, use: (day: string) => void): void {
    const day = field.value.trim();
    if (isDay(day)) use(day);
    else field.value = before;
  }

  function drop(event: PointerEvent): void {
    const there = brushed;
    from = null;
    const [start, end] = there ?? [0, 0];
    if (!there || start === end || event.type === 'pointercancel') return;
    choose(days[start]?.day ?? first, days[end]?.day ?? last);
  }
</script>

<svg
  bind:this={chart}
  viewBox="0 0 {WIDTH} {HEIGHT + 2}"
  class="h-20 w-full touch-pan-y select-none"
  preserveAspectRatio="none"
  role="group"
  aria-label="Sign-ins by day"
  onpointerdown={(event) => {
    if (event.button) return;
    from = to = dayAt(event);
  }}
  onpointermove={(event) => {
    if (from === null) return;
    to = dayAt(event);
    // Captured only once it moves: a plain click is the link's.
    if (to !== from) chart?.setPointerCapture(event.pointerId);
  }}
  onpointerup={drop}
  onpointercancel={drop}
>
  {#if brushed && brushed[0] !== brushed[1]}
    <rect x={brushed[0] * step} y="0" width={(brushed[1] - brushed[0] + 1) * step} height={HEIGHT} fill="var(--accent-soft)" />
  {/if}
  <line x1="0" x2={WIDTH} y1={HEIGHT + 1} y2={HEIGHT + 1} stroke="var(--rule-strong)" vector-effect="non-scaling-stroke" />
  {#each days as day, i (day.day)}
    {@const blocked = y(day.blocked)}
    {@const challenged = y(day.challenged)}
    {@const allowed = y(day.allowed)}
    <a href={href(day.day, day.day)} aria-label={label(day)} class="group" draggable="false">
      <title>{label(day)}</title>
      <rect x={i * step} y="0" width={step} height={HEIGHT} fill="transparent" class="group-focus:fill-sunk {from === null ? 'group-hover:fill-sunk' : ''}" />
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
  <p class="flex items-center justify-between gap-2 text-fine text-muted">
    <input
      class="dates"
      aria-label="First day"
      inputmode="numeric"
      value={first}
      onchange={(event) => picked(event.currentTarget, first, (day) => choose(day, last))}
    />
    <span class="max-sm:hidden">Click a day, or drag over several.</span>
    <input
      class="dates"
      aria-label="Last day"
      inputmode="numeric"
      value={last}
      onchange={(event) => picked(event.currentTarget, last, (day) => choose(first, day))}
    />
  </p>
{/if}

<style>
  .dates {
    border: 0;
    background: transparent;
    color: inherit;
    font: inherit;
    padding: 0.1rem 0;
  }
</style>
