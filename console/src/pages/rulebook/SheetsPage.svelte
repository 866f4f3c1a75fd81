<script lang="ts">
  // The whole rulebook as one document with contents: to print, and to sign.
  import { sheets } from '../../lib/api/inventory';
  import type { PolicySheets } from '../../lib/api/types';
  import { count } from '../../lib/format';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import Sheet from './Sheet.svelte';

  const all = new Load<PolicySheets>();
  const load = () => void all.run((signal) => sheets.all('', signal));
  load();
</script>

<Heading place="Rulebook · sheets">
  {#if all.value}{count(all.value.sheets.length, 'policy', 'policies')} of revision {all.value.revision}; what none speaks about is {all.value.stance === 'closed' ? 'blocked unless a policy lets in' : 'allowed unless a policy objects'}.
  {:else}{all.problem ? 'The sheets cannot be shown.' : 'Putting the sheets together …'}{/if}
  {#snippet aside()}<a class="action" href="#/rulebook">The rulebook</a><a class="action" href="#/reviews">Reviews</a><button class="action" onclick={() => window.print()}>Print</button>{/snippet}
</Heading>
{#if all.problem}<Failing problem={all.problem} again={load} />
{:else if !all.value}<Waiting lines={12} />
{:else}
  <nav aria-label="Contents" class="!block">
    <ol class="mb-8 list-decimal pl-6">
      {#each all.value.sheets as sheet (sheet.id)}
        <li><a href="#/rulebook/policy/{encodeURIComponent(sheet.id)}/sheet" onclick={(event) => { event.preventDefault(); document.getElementById(`sheet-${sheet.id}`)?.scrollIntoView(); }}>{sheet.title}</a> <span class="text-small text-muted">{sheet.mode}, {sheet.owner || 'no owner'}</span></li>
      {/each}
    </ol>
  </nav>
  {#each all.value.sheets as sheet (sheet.id)}
    <section class="mb-12 print:break-before-page" id="sheet-{sheet.id}" aria-label={sheet.title}>
      <h2 class="mb-2 border-b-2 border-ink text-title font-semibold">{sheet.title}</h2>
      <Sheet {sheet} level={3} />
    </section>
  {/each}
{/if}
