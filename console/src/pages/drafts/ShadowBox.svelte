<script lang="ts">
  // A draft in shadow: live decisions are logged with what it would have made of them.
  import { api } from '../../lib/api/client';
  import type { ShadowReport } from '../../lib/api/types';
  import { moment, number } from '../../lib/format';
  import Mark from '../../lib/parts/Mark.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import type { Writing } from './writing.svelte';

  let { writing, may }: { writing: Writing; may: boolean } = $props();
  const report = new Load<ShadowReport>();
  const since = $derived(writing.whole?.info.shadowed ?? null);
  $effect(() => {
    if (since) void report.run((signal) => api.shadowReport(writing.name, signal));
  });
  const turn = (on: boolean) =>
    writing.attempt(async () => {
      const seen = writing.whole?.info;
      if (!seen) return;
      const info = await api.shadowDraft(seen, on);
      if (writing.whole) writing.whole = { ...writing.whole, info };
    });
</script>

<h2 class="mt-6 mb-1 font-semibold">In shadow</h2>
{#if since}
  <p class="text-small">Live decisions are logged with what this draft would make of them, since {moment(since)} UTC{#if writing.whole && writing.whole.info.shadow_version !== writing.whole.info.version}, as it was in version {writing.whole.info.shadow_version}: what was saved since does not count{/if}.
    {#if may && writing.whole && writing.whole.info.shadow_version !== writing.whole.info.version}<button class="action ml-2" onclick={() => turn(true)}>Take what is here now</button>{/if}
    {#if may}<button class="action ml-2" onclick={() => turn(false)}>End it</button>{/if}</p>
  {#if report.value?.flows.length}
    <table class="ruled mt-1 max-w-xl"><thead><tr><th>Was</th><th>Would be</th><th class="text-right!">Sign-ins</th><th>Such as</th></tr></thead>
      <tbody>{#each report.value.flows as flow (flow.outcome + flow.would)}
        <tr class:font-semibold={flow.outcome !== flow.would}><td><Mark value={flow.outcome} size={10} /></td><td><Mark value={flow.would} size={10} /></td><td class="text-right! tabular-nums">{number(flow.count)}</td><td><a class="font-mono text-fine" href="#/signins/{flow.example}">{flow.example}</a></td></tr>
      {/each}</tbody></table>
  {:else if report.value}<p class="text-small text-muted">There was no live decision yet.</p>{/if}
{:else}
  <p class="text-small text-muted">Nothing of it touches anybody. It can be logged beside live decisions what it would make of them.
    {#if may}<button class="action ml-2" onclick={() => turn(true)}>Run it in shadow</button>{/if}</p>
{/if}
