<script lang="ts">
  // A group: who is in it and why, which policies name it, and what would turn for somebody who joined.
  import { inventory } from '../../lib/api/inventory';
  import type { GroupProfile, Joining, ReachCoverage } from '../../lib/api/types';
  import { count, moment } from '../../lib/format';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import InventoryBox from '../../lib/parts/InventoryBox.svelte';
  import Mark from '../../lib/parts/Mark.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { rows } from '../../lib/keys';
  import { Act } from '../../lib/state/act.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import { session } from '../../lib/state/session.svelte';
  import Ends from '../coverage/Ends.svelte';
  import EditThing from './EditThing.svelte';
  import Speaking from './Speaking.svelte';

  let { id }: { id: string } = $props();
  const profile = new Load<GroupProfile>();
  const joining = new Load<Joining>();
  const acting = new Act();
  // Going through all cases takes longer than all the rest: the page does not wait for it.
  const coverage = new Load<ReachCoverage>();
  const load = () => {
    void profile.run((signal) => inventory.group(id, signal));
    void coverage.run((signal) => inventory.groupCoverage(id, signal));
  };
  $effect(load);
  let editing = $state(false);
  let person = $state('');
  let until = $state('');
  const mayChange = $derived(session.info?.role === 'operator');

  function chosen(name: string): void {
    person = name;
    if (name) void joining.run((signal) => inventory.joining(id, name, signal));
    else joining.value = null;
  }
  async function join(): Promise<void> {
    if (await acting.run(() => inventory.join(id, person, until))) {
      chosen('');
      load();
    }
  }
  async function leave(name: string): Promise<void> {
    await acting.run(() => inventory.leave(id, name));
    load();
  }
</script>

<Heading place="Group · {id}">
  {#if profile.value}{profile.value.item.title || id} has {count(profile.value.count, 'member')}; {profile.value.policies.length ? `${count(profile.value.policies.length, 'policy', 'policies')} ${profile.value.policies.length === 1 ? 'names' : 'name'} it` : 'no policy names it'}.
  {:else}{profile.problem ? 'This group cannot be shown.' : 'Loading …'}{/if}
  {#snippet aside()}{#if profile.value && mayChange && !profile.value.item.kept_by}<button class="action" onclick={() => (editing = !editing)}>Change</button>{/if}{/snippet}
</Heading>

{#if profile.value?.item.kept_by}<p class="mb-4 text-small text-muted wrap-anywhere">Kept by {profile.value.item.kept_by}: it is changed there.</p>{/if}
{#if acting.refused}<div class="mb-4"><Failing problem={acting.refused} /></div>{/if}
{#if profile.problem}<Failing problem={profile.problem} again={load} />
{:else if !profile.value}<Waiting lines={10} />
{:else}
  {@const it = profile.value}
  {#if editing}<EditThing noun="groups" item={it.item} done={() => { editing = false; load(); }} cancel={() => (editing = false)} />{/if}
  <div class="grid gap-x-10 gap-y-7 lg:grid-cols-[minmax(0,1fr)_24rem]">
    <section aria-label="Members" class="min-w-0">
      <h2 class="text-lead font-semibold">Members</h2>
      <!-- svelte-ignore a11y_no_noninteractive_tabindex: a region that scrolls must be reachable by keyboard -->
      <div class="relative max-h-[32rem] overflow-auto" tabindex="0" role="region" aria-label="Members of the group" {@attach rows}>
        <table class="ruled">
          <thead><tr><th>Person</th><th>Through</th><th>Until</th><th><span class="sr-only">Take out</span></th></tr></thead>
          <tbody>
            {#each it.members as member (member.person)}
              <tr><td><a data-row href="#/inventory/people/{encodeURIComponent(member.person)}">{member.title}</a></td><td class="text-muted">{member.through.join(' → ') || 'itself'}</td><td>{member.until ? moment(member.until) : ''}</td>
                <td class="text-right">{#if mayChange && !member.through.length}<button class="tool" aria-label="Take out {member.title}" onclick={() => leave(member.person)}>Take out</button>{/if}</td></tr>
            {:else}<tr><td colspan="4" class="text-muted">Nobody is in it.</td></tr>{/each}
          </tbody>
        </table>
      </div>
      {#if it.count > it.members.length}<p class="mt-1 text-small"><a href="#/inventory/people?where={encodeURIComponent(`person.groups has ${id}`)}">All {it.count}</a></p>{/if}
    </section>
    <aside class="flex flex-col gap-6 text-small">
      <section aria-label="If somebody joined">
        <h2 class="mb-1 text-lead font-semibold">If somebody joined</h2>
        <label for="joining">Who</label>
        <InventoryBox id="joining" noun="people" value={person} wrong="" set={chosen} />
        {#if joining.problem}<Failing problem={joining.problem} />
        {:else if joining.value && person}
          {#if joining.value.already}<p class="mt-2">They are in it already.</p>
          {:else}
            <ul class="mt-2">
              {#each joining.value.turned as turned (turned.app)}<li class="flex flex-wrap items-baseline gap-x-2 border-t border-rule py-1"><span class="min-w-24">{turned.app}</span><Mark value={turned.before} size={10} /> → <Mark value={turned.after} size={10} /></li>
              {:else}<li>Nothing opens otherwise for them.</li>{/each}
            </ul>
            {#if mayChange}
              <p class="mt-2 flex flex-wrap items-end gap-2"><label>Until<input class="field w-36!" inputmode="numeric" placeholder="2026-12-01" bind:value={until} /></label><button class="action" onclick={join}>Make them a member</button></p>
            {/if}
          {/if}
        {/if}
      </section>
      {#if it.parents.length}<section><h2 class="text-lead font-semibold">It is in</h2><p>{#each it.parents as each, i (each.id)}{i ? ', ' : ''}<a href="#/inventory/groups/{encodeURIComponent(each.id)}">{each.title}</a>{/each}</p></section>{/if}
      {#if it.children.length}<section><h2 class="text-lead font-semibold">Groups in it</h2><p>{#each it.children as each, i (each.id)}{i ? ', ' : ''}<a href="#/inventory/groups/{encodeURIComponent(each.id)}">{each.title}</a>{/each}</p></section>{/if}
      {#if coverage.value?.apps.length}
        <section aria-label="What its members can meet">
          <h2 class="mb-1 text-lead font-semibold">What its members can meet</h2>
          <p class="mb-1 text-muted">With a password alone, no risk and no signal; the rest is open. Mildest and strictest outcome.</p>
          <table class="ruled"><tbody>{#each coverage.value.apps as each (each.app)}<tr><td><a href="#/inventory/apps/{encodeURIComponent(each.app)}">{each.title}</a></td><td><Ends cell={each.cell} password={true} words={true} /></td></tr>{/each}</tbody></table>
        </section>
      {/if}
      <Speaking policies={it.policies} none="No policy names it: being in it changes nothing by itself." others="in a rule" />
    </aside>
  </div>
{/if}
