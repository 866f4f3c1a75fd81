<script lang="ts">
  // The person's sign-ins around this one, drawn: near ones apart, far ones together, as the time between them grows.
  import type { SigninSummary } from '../../lib/api/types';
  import { moment } from '../../lib/format';
  import Shape from '../../lib/parts/Shape.svelte';

  let { items, here }: { items: SigninSummary[]; here: SigninSummary } = $props();
  const TICKS = [
    ['1 min', 60],
    ['1 h', 3600],
    ['1 day', 86_400],
    ['1 week', 604_800],
  ] as const;
  const seconds = (item: SigninSummary) => (Date.parse(item.at) - Date.parse(here.at)) / 1000;
  const far = $derived(Math.max(60, ...items.map((item) => Math.abs(seconds(item)))));
  /** From 0 to 100; the one that is traced stands in the middle. */
  const place = (after: number) => 50 + Math.sign(after) * 48 * (Math.log1p(Math.abs(after) / 20) / Math.log1p(far / 20));
  const ticks = $derived(
    TICKS.filter(([, length]) => length <= far * 1.01).flatMap(([word, length]) => [
      [`−${word}`, place(-length)] as const,
      [`+${word}`, place(length)] as const,
    ]),
  );
</script>

<!-- The list below says the same in words. -->
<div class="relative my-3 h-14" aria-hidden="true">
  <div class="absolute top-5 right-0 left-0 border-t border-rule-strong"></div>
  {#each ticks as [word, at] (word)}
    <span class="absolute top-4 h-2 border-l border-rule-strong" style:left="{at}%"></span>
    <span class="absolute top-8 -translate-x-1/2 text-fine whitespace-nowrap text-muted" style:left="{at}%">{word}</span>
  {/each}
  {#each items as item (item.id)}
    <a
      class="absolute top-5 -translate-x-1/2 -translate-y-1/2 bg-paper leading-none {item.outcome === 'allowed' ? 'text-allowed' : item.outcome === 'blocked' ? 'text-blocked' : 'text-challenged'}"
      class:ring-2={item.id === here.id}
      style:left="{place(seconds(item))}%"
      style:z-index={item.id === here.id ? 1 : 0}
      href="#/signins/{encodeURIComponent(item.id)}"
      title="{moment(item.at)}: {item.outcome}, {item.app ?? 'no app named'}"
      tabindex="-1"
    >
      <Shape name={item.outcome} size={item.id === here.id ? 20 : 13} />
    </a>
  {/each}
</div>
