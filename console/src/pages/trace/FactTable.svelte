<script lang="ts">
  // Every fact that was known, with its value and where it came from.
  import type { FactTrace } from '../../lib/api/types';
  import { count } from '../../lib/format';

  let { facts }: { facts: Record<string, FactTrace> } = $props();
  const entries = $derived(Object.entries(facts));
</script>

<h2 class="mb-1 text-lead font-semibold">{count(entries.length, 'fact')} known</h2>
<table class="ruled table-fixed">
  <thead><tr><th class="w-[44%]">Fact</th><th>Value</th><th class="w-20">From</th></tr></thead>
  <tbody>
    {#each entries as [name, fact] (name)}
      <tr>
        <td class="font-mono text-fine wrap-anywhere">{name}</td>
        <td class="wrap-anywhere">{fact.shown}</td>
        <td class="text-fine {fact.origin === 'assumed' ? 'text-challenged' : 'text-muted'}">{fact.origin}</td>
      </tr>
    {/each}
  </tbody>
</table>
