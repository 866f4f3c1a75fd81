<script lang="ts">
  // What somebody's plain sign-ins come to now, app by app, and why; each leads to a rehearsal.
  import type { AppMet, AppReach } from '../../lib/api/types';
  import Mark from '../../lib/parts/Mark.svelte';
  import Sentence from '../../lib/parts/Sentence.svelte';

  import Ends from '../coverage/Ends.svelte';

  let { reach, met = [], person, device, how }: { reach: AppReach[]; met?: AppMet[]; person: string; device: string; how: string } = $props();
  const counts = $derived(['allowed', 'challenged', 'blocked'].map((outcome) => [outcome, reach.filter((each) => each.outcome === outcome).length] as const));
  // What is possible whatever the device, the place and the moment are.
  const anyhow = $derived(new Map(met.map((each) => [each.app, each.cell])));
  const rehearse = (app: string) => `#/rehearse?${new URLSearchParams({ 'person.id': person, 'app.id': app, ...(device ? { 'device.id': device } : {}) }).toString()}`;
</script>

<section aria-label="What opens">
  <h2 class="flex flex-wrap items-baseline gap-x-4 text-lead font-semibold">What opens
    {#each counts as [outcome, many] (outcome)}{#if many}<span class="text-small font-normal">{many} <Mark value={outcome} size={10} /></span>{/if}{/each}</h2>
  <p class="mb-2 text-small text-muted">{how}</p>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex: a region that scrolls must be reachable by keyboard -->
  <div class="relative overflow-x-auto" tabindex="0" role="region" aria-label="Apps and outcomes">
    <table class="ruled" style:min-width="34rem">
      <thead><tr><th>App</th><th>Outcome</th>{#if anyhow.size}<th>From anywhere</th>{/if}<th>Why</th><th><span class="sr-only">Rehearse</span></th></tr></thead>
      <tbody>
        {#each reach as each (each.app)}
          <tr>
            <td class="whitespace-nowrap"><a href="#/inventory/apps/{encodeURIComponent(each.app)}">{each.title}</a></td>
            <td><Mark value={each.outcome} size={10} /></td>
            {#if anyhow.size}{@const cell = anyhow.get(each.app)}<td>{#if cell}<Ends {cell} password={false} />{/if}</td>{/if}
            <td class="max-w-[62ch]"><Sentence pieces={each.says} /></td>
            <td class="text-right whitespace-nowrap"><a href={rehearse(each.app)} aria-label="{each.outcome === 'allowed' ? 'Rehearse' : 'Why not?'} {each.title}">{each.outcome === 'allowed' ? 'Rehearse' : 'Why not?'}</a></td>
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
</section>
