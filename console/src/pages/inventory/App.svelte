<script lang="ts">
  // An app: its stance, the policies that speak about it, and who can reach it how.
  import { inventory } from '../../lib/api/inventory';
  import type { AppCoverage, AppProfile } from '../../lib/api/types';
  import { count } from '../../lib/format';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import { session } from '../../lib/state/session.svelte';
  import Ends from '../coverage/Ends.svelte';
  import EditThing from './EditThing.svelte';
  import SigninLines from './SigninLines.svelte';
  import Speaking from './Speaking.svelte';
  import WhoDecides from './WhoDecides.svelte';

  let { id }: { id: string } = $props();
  const profile = new Load<AppProfile>();
  // Going through all cases takes longer than all the rest: the page does not wait for it.
  const coverage = new Load<AppCoverage>();
  const load = () => {
    void profile.run((signal) => inventory.app(id, signal));
    void coverage.run((signal) => inventory.appCoverage(id, signal));
  };
  $effect(load);
  let editing = $state(false);
  const named = $derived((profile.value?.policies ?? []).filter((each) => each.naming && each.mode === 'enforced').length);
</script>

<Heading place="App · {id}">
  {#if profile.value}
    {profile.value.item.title || id} is {profile.value.stance === 'closed' ? 'closed: blocked unless a policy lets in' : 'open: allowed unless a policy objects'}; {named ? `${count(named, 'policy', 'policies')} ${named === 1 ? 'names' : 'name'} it` : 'no policy names it'}.
  {:else}{profile.problem ? 'This app cannot be shown.' : 'Loading …'}{/if}
  {#snippet aside()}
    <a class="action" href="#/coverage">Coverage</a>
    {#if profile.value && session.info?.role === 'operator'}<button class="action" onclick={() => (editing = !editing)}>Change</button>{/if}
  {/snippet}
</Heading>

{#if profile.problem}<Failing problem={profile.problem} again={load} />
{:else if !profile.value}<Waiting lines={10} />
{:else}
  {@const it = profile.value}
  {#if editing}<EditThing noun="apps" item={it.item} done={() => { editing = false; load(); }} cancel={() => (editing = false)} />{/if}
  <div class="grid gap-x-10 gap-y-7 lg:grid-cols-[minmax(0,1fr)_24rem]">
    <div class="flex min-w-0 flex-col gap-7">
      <Speaking policies={it.policies} none="No policy speaks about it: its stance decides alone." others="with others" />
      {#key id}<WhoDecides app={id} />{/key}
    </div>
    <aside class="flex flex-col gap-6">
      <section class="text-small">
        <h2 class="mb-1 text-lead font-semibold">Who can reach it</h2>
        <p class="mb-1 text-muted">With a password alone, no risk and no signal; the rest is open. Mildest and strictest outcome.</p>
        {#if coverage.problem}<Failing problem={coverage.problem} again={load} />
        {:else if !coverage.value}<Waiting lines={5} />
        {:else if !coverage.value.rows.length}<p>There are too many different cases to go through.</p>
        {:else}
          {@const found = coverage.value}
          <table class="ruled">
            <thead><tr><th>Audience</th><th>People</th><th>Meets</th></tr></thead>
            <tbody>
              {#each found.rows as row (row.audience)}
                <tr><td>{row.title}</td><td class="tabular-nums">{row.people}</td><td><Ends cell={row.cell} password={found.password_alone} words={true} /></td></tr>
              {/each}
            </tbody>
          </table>
        {/if}
      </section>
      <section class="text-small"><h2 class="text-lead font-semibold">Labels</h2><p>{it.labels.join(', ') || 'none'}</p></section>
      <SigninLines lines={it.signins} all="#/signins?app={encodeURIComponent(id)}" />
    </aside>
  </div>
{/if}
