<script lang="ts">
  // A policy's sheet: read, printed, and kept as reviewed.
  import { sheets } from '../../lib/api/inventory';
  import type { PolicySheet } from '../../lib/api/types';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { Act } from '../../lib/state/act.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import { session } from '../../lib/state/session.svelte';
  import Sheet from './Sheet.svelte';

  let { params }: { params: { id: string } } = $props();
  const sheet = new Load<PolicySheet>();
  const acting = new Act();
  const load = () => void sheet.run((signal) => sheets.policy(params.id, '', signal));
  $effect(load);
  let reviewing = $state(false);
  let again = $state('180d');
  let note = $state('');

  async function review(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    if (await acting.run(() => sheets.review(params.id, sheet.value?.digest ?? '', again, note))) {
      reviewing = false;
      note = '';
      load();
    }
  }
</script>

<Heading place="Policy · {params.id} · sheet">
  {sheet.value?.title ?? (sheet.problem ? 'This sheet cannot be shown.' : 'Loading …')}
  {#snippet aside()}
    <a class="action" href="#/rulebook/policy/{encodeURIComponent(params.id)}">The policy</a>
    <button class="action" onclick={() => window.print()}>Print</button>
    {#if session.info?.role !== 'viewer'}<button class="action" aria-pressed={reviewing} onclick={() => (reviewing = !reviewing)}>I have reviewed it</button>{/if}
  {/snippet}
</Heading>
{#if reviewing}
  <form class="no-print mb-5 border-y border-rule-strong bg-raised px-4 py-3 text-small" onsubmit={review}>
    <div class="flex flex-wrap items-end gap-3">
      <label>Due again in<select class="field" bind:value={again}><option value="90d">three months</option><option value="180d">half a year</option><option value="365d">a year</option><option value="">no time</option></select></label>
      <label class="grow">What you saw<input class="field" bind:value={note} autocomplete="off" /></label>
      <button class="action">Keep the review</button>
    </div>
    {#if acting.refused}<div class="mt-3"><Failing problem={acting.refused} /></div>{/if}
  </form>
{/if}
{#if sheet.problem}<Failing problem={sheet.problem} again={load} />
{:else if sheet.value}<Sheet sheet={sheet.value} />
{:else}<Waiting lines={12} />{/if}
