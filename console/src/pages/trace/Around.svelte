<script lang="ts">
  // The person's sign-ins around this one, on a line of time; where it jumps, it says how long nothing happened.
  import type { SigninSummary } from '../../lib/api/types';
  import { moment } from '../../lib/format';
  import Mark from '../../lib/parts/Mark.svelte';
  import TimeLine from './TimeLine.svelte';

  let { items, here }: { items: SigninSummary[]; here: string } = $props();
  const traced = $derived(items.find((item) => item.id === here));
  function between(one: string, other: string): string {
    const minutes = Math.round((Date.parse(other) - Date.parse(one)) / 60_000);
    if (minutes < 90) return `${minutes} min`;
    return minutes < 2880 ? `${Math.round(minutes / 60)} h` : `${Math.round(minutes / 1440)} days`;
  }
</script>

{#if items.length > 1}
  <h2 class="mt-6 mb-1 text-lead font-semibold">Before and after</h2>
  {#if traced}<TimeLine {items} here={traced} />{/if}
  <ol class="border-l border-rule-strong text-small">
    {#each items as item, i (item.id)}
      {@const before = items[i - 1]}
      <li
        class="grid grid-cols-[4rem_9rem_7rem_minmax(0,1fr)] gap-2 py-0.5 pl-3 {item.id === here ? 'bg-accent-soft font-semibold' : ''}"
        aria-current={item.id === here ? 'true' : undefined}
      >
        <span class="text-right text-muted tabular-nums">{before ? `+${between(before.at, item.at)}` : ''}</span>
        <a  href="#/signins/{encodeURIComponent(item.id)}">{moment(item.at)}</a>
        <Mark value={item.outcome} />
        <span class="text-muted">
          {item.app ?? 'no app named'} from {[item.address, item.country].filter(Boolean).join(' ') || 'an unknown place'}{item.credentials ===
          'wrong'
            ? ', wrong credentials'
            : ''}
        </span>
      </li>
    {/each}
  </ol>
{/if}
