<script lang="ts">
  // Everything that was required, item by item: met already, attainable at the door, or neither.
  import type { RequirementsTrace } from '../../lib/api/types';
  import Mark from '../../lib/parts/Mark.svelte';

  let { requirements }: { requirements: RequirementsTrace } = $props();
</script>

{#if requirements.items.length}
  <h2 class="mt-6 mb-1 text-lead font-semibold">What was required</h2>
  <table class="ruled">
    <thead><tr><th>Requirement</th><th>Met</th><th>Attainable at the door</th></tr></thead>
    <tbody>
      {#each requirements.items as item (item.item)}
        <tr>
          <td class="font-mono">{item.item}</td>
          <td><Mark value={item.met} word={item.met === 'true' ? 'met' : item.met === 'false' ? 'not met' : 'not known'} /></td>
          <td>{item.attainable ? 'yes' : 'no'}</td>
        </tr>
      {/each}
    </tbody>
  </table>
{/if}
