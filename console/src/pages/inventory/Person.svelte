<script lang="ts">
  // A person: what they can open now and why not, groups and where each comes from, devices, factors, sessions.
  import { inventory } from '../../lib/api/inventory';
  import type { PersonProfile, ReachCoverage } from '../../lib/api/types';
  import { count, moment } from '../../lib/format';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import TwoSteps from '../../lib/parts/TwoSteps.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { Act } from '../../lib/state/act.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import { session } from '../../lib/state/session.svelte';
  import EditThing from './EditThing.svelte';
  import Reach from './Reach.svelte';
  import SigninLines from './SigninLines.svelte';
  import WhoDecides from './WhoDecides.svelte';

  let { id }: { id: string } = $props();
  const profile = new Load<PersonProfile>();
  const acting = new Act();
  // Going through all cases takes longer than all the rest: the page does not wait for it.
  const coverage = new Load<ReachCoverage>();
  const load = () => {
    void profile.run((signal) => inventory.person(id, signal));
    void coverage.run((signal) => inventory.personCoverage(id, signal));
  };
  $effect(load);
  let editing = $state(false);
  let ended = $state('');
  const mayChange = $derived(session.info?.role === 'operator');

  async function off(): Promise<void> {
    await acting.run(async () => {
      const gone = await inventory.off(id);
      ended = `${count(gone.sessions, 'session')} and ${count(gone.starter_codes, 'starter code')} ended.`;
    });
    load();
  }
  async function back(): Promise<void> {
    await acting.run(() => inventory.back(id));
    ended = '';
    load();
  }
  async function leave(group: string): Promise<void> {
    await acting.run(() => inventory.leave(group, id));
    load();
  }
  const title = $derived(profile.value?.item.title || id);
  const opens = $derived((profile.value?.reach ?? []).filter((each) => each.outcome !== 'blocked').length);
</script>

<Heading place="Person · {id}">
  {#if profile.value}
    {#if profile.value.off}{title} has left: nothing opens since {moment(profile.value.off)}.
    {:else if profile.value.locked_until}{title} is locked out until {moment(profile.value.locked_until)}: too many wrong passwords.
    {:else}{title} can open {opens} of {count(profile.value.reach.length, 'app')} by a plain sign-in now.{/if}
  {:else}{profile.problem ? 'This person cannot be shown.' : 'Loading …'}{/if}
  {#snippet aside()}
    {#if profile.value}
      <a class="action" href="#/rehearse?person.id={encodeURIComponent(id)}">Why can’t they …?</a>
      {#if mayChange && !profile.value.item.kept_by}
        <button class="action" onclick={() => (editing = !editing)}>Change</button>
        {#if profile.value.off}<button class="action" onclick={back}>Take back</button>
        {:else}<TwoSteps word="Off" label="Off: {title} has left" sure="They have left: end it all" act={off} />{/if}
      {/if}
    {/if}
  {/snippet}
</Heading>

{#if profile.value?.item.kept_by}<p class="mb-4 text-small text-muted wrap-anywhere">Kept by {profile.value.item.kept_by}: it is changed there.</p>{/if}
{#if acting.refused}<div class="mb-4"><Failing problem={acting.refused} /></div>{/if}
{#if ended}<p class="mb-4" role="status">{ended} The log keeps what it has.</p>{/if}
{#if profile.problem}<Failing problem={profile.problem} again={load} />
{:else if !profile.value}<Waiting lines={10} />
{:else}
  {@const it = profile.value}
  {#if editing}<EditThing noun="people" item={it.item} done={() => { editing = false; load(); }} cancel={() => (editing = false)} />{/if}
  <div class="grid gap-x-10 gap-y-7 lg:grid-cols-[minmax(0,1fr)_21rem]">
    <div class="flex min-w-0 flex-col gap-7">
      <Reach reach={it.reach} met={coverage.value?.apps} person={id} device={it.device} how="By a plain sign-in with a password alone{it.device || it.address ? `, from ${[it.device, it.address].filter(Boolean).join(', ')}, where they mostly come from` : ''}." />
      <section aria-label="Devices">
        <h2 class="text-lead font-semibold">Devices</h2>
        {#if it.devices.length}
          <table class="ruled">
            <thead><tr><th>Device</th><th>System</th><th>Does not pass</th></tr></thead>
            <tbody>
              {#each it.devices as device (device.id)}
                <tr><td><a href="#/inventory/devices/{encodeURIComponent(device.id)}">{device.title || device.id}</a> <span class="text-muted">{device.id}</span></td>
                  <td>{device.platform} {device.os_version}</td>
                  <td>{#each device.failing as name, i (name)}{i ? ', ' : ''}<a href="#/rulebook/standard/{encodeURIComponent(name)}">{name}</a>{:else}<span class="text-muted">passes all</span>{/each}</td></tr>
              {/each}
            </tbody>
          </table>
        {:else}<p class="text-small text-muted">None in the inventory.</p>{/if}
      </section>
      {#key id}<WhoDecides person={id} apps={it.reach.map((each) => ({ id: each.app, title: each.title }))} />{/key}
      <SigninLines lines={it.signins} all="#/signins?person={encodeURIComponent(id)}" />
    </div>
    <aside class="flex flex-col gap-6 text-small">
      <section>
        <h2 class="mb-1 text-lead font-semibold">Who it is</h2>
        <dl class="grid grid-cols-[6rem_minmax(0,1fr)] gap-x-3 gap-y-1">
          {#if it.kind}<dt class="text-muted">Kind</dt><dd>{it.kind}</dd>{/if}
          {#if it.unit}<dt class="text-muted">Unit</dt><dd>{it.unit}</dd>{/if}
          <dt class="text-muted">Roles</dt><dd>{it.roles.join(', ') || 'none'}</dd>
          <dt class="text-muted">Factors</dt><dd>{it.factors ? it.factors.join(', ') || 'none' : 'not known'}</dd>
          <dt class="text-muted">Risk</dt><dd>{it.risk || 'not known'}{it.risk_from ? ` (${it.risk_from})` : ''}</dd>
          {#each Object.entries((it.item.document.attributes as Record<string, unknown> | undefined) ?? {}) as [name, value] (name)}<dt class="text-muted">{name}</dt><dd>{String(value)}</dd>{/each}
        </dl>
      </section>
      <section>
        <h2 class="mb-1 text-lead font-semibold">Groups</h2>
        {#each it.groups as group (group.id)}
          <p class="flex items-baseline gap-2 border-t border-rule py-1">
            <span class="min-w-0 flex-1"><a href="#/inventory/groups/{encodeURIComponent(group.id)}">{group.title}</a>
              <span class="block text-fine text-muted">{group.through.length ? `through ${group.through.join(' → ')}` : 'itself'}{group.until ? `, until ${moment(group.until)}` : ''}</span></span>
            {#if mayChange && !group.through.length}<button class="tool" aria-label="Take out of {group.title}" onclick={() => leave(group.id)}>Take out</button>{/if}
          </p>
        {:else}<p class="text-muted">In none.</p>{/each}
      </section>
      <section>
        <h2 class="mb-1 text-lead font-semibold">In at doors</h2>
        {#each it.sessions as each (each.id)}<p class="border-t border-rule py-1">{each.app}{each.device ? ` on ${each.device}` : ''} <span class="text-muted">seen {moment(each.seen)}</span></p>{:else}<p class="text-muted">No session is open.</p>{/each}
        {#if it.starter_codes}<p class="mt-1">{count(it.starter_codes, 'starter code')} could still be used: <a href="#/settings/starter-codes">see them</a></p>{/if}
        {#if it.accepted.length}<p class="mt-1">Accepted: {it.accepted.map((each) => `${each.notice} ${each.version}`).join(', ')}</p>{/if}
      </section>
    </aside>
  </div>
{/if}
