<script lang="ts">
  // Devices that came to a door and are on no list: how often, with whom; put on the list, or kept off it for a reason.
  import { inventory } from '../../lib/api/inventory';
  import type { UnlistedDevice, UnlistedDevices } from '../../lib/api/types';
  import { count, moment } from '../../lib/format';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import ListTable from '../../lib/parts/ListTable.svelte';
  import { Act } from '../../lib/state/act.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import { session } from '../../lib/state/session.svelte';

  let refused = $state(false);
  const list = new Load<UnlistedDevices>();
  const acting = new Act();
  const load = () => void list.run((signal) => inventory.unlisted(refused, signal));
  $effect(load);
  const may = $derived(session.info?.role === 'operator');
  // What is asked about the one device that somebody is deciding about.
  let about = $state('');
  let doing = $state<'vet' | 'refuse'>('vet');
  let id = $state('');
  let owner = $state<'company' | 'personal'>('company');
  let person = $state('');
  let why = $state('');

  function begin(found: UnlistedDevice, what: 'vet' | 'refuse'): void {
    about = found.device;
    doing = what;
    id = found.device.toLowerCase();
    // Whoever alone came from it is most likely whose it is.
    person = found.of_people === 1 ? (found.people[0]?.person ?? '') : '';
    why = '';
    acting.refused = null;
  }
  async function decide(): Promise<void> {
    const done = await acting.run(() =>
      doing === 'vet' ? inventory.vet({ device: about, id: id.trim(), owner, person: person.trim() }) : inventory.refuse({ device: about, why: why.trim() }),
    );
    if (done) {
      about = '';
      load();
    }
  }
  const times = (found: UnlistedDevice) => (found.count === 1 ? 'once' : `${found.count} times`);
</script>

<Heading place="Inventory · Devices on no list">
  {#if list.value}
    {#if refused}{count(list.value.items.length, 'device')} {list.value.items.length === 1 ? 'is' : 'are'} to stay off the list.
    {:else}{list.value.items.length ? `${count(list.value.items.length, 'device')} came within ${list.value.days} days and ${list.value.items.length === 1 ? 'is' : 'are'} on no list.` : `Every device that came within ${list.value.days} days is listed, or was refused.`}{/if}
  {:else}{list.problem ? 'The devices cannot be shown.' : 'Looking which devices came …'}{/if}
  {#snippet aside()}
    <a class="action" href="#/inventory/devices">Devices</a>
    <button class="action" aria-pressed={refused} onclick={() => (refused = !refused)}>Refused{list.value ? ` (${list.value.refused})` : ''}</button>
  {/snippet}
</Heading>
{#if list.value?.cut}<p class="mb-3 text-small text-muted">There are more than were looked at: decide about these first.</p>{/if}
<ListTable {list} items={list.value?.items ?? []} key={(found) => found.device} label="Devices on no list" width="46rem" again={load} columns={['Known by', 'What it is', 'Seen', 'Last (UTC)', 'With', '(Decide)']}>
  {#snippet none()}<p>{refused ? 'None was refused.' : 'A device that comes with a serial number or an id that the inventory does not have stands here, to be vetted or refused.'}</p>{/snippet}
  {#snippet row(found)}
    <td class="font-mono text-small whitespace-nowrap">{found.device}</td>
    <td>{found.platform} {found.os_version}{#if !found.platform && !found.os_version}<span class="text-muted">not said</span>{/if}</td>
    <td class="whitespace-nowrap">{times(found)}</td>
    <td class="whitespace-nowrap">{moment(found.last)}</td>
    <td>
      {#each found.people as each, n (each.person)}{n ? ', ' : ''}<a href="#/inventory/people/{encodeURIComponent(each.person)}">{each.title}</a>{/each}{found.of_people > found.people.length ? ` and ${found.of_people - found.people.length} more` : ''}
      {#if found.refused_by}<span class="block text-fine text-muted">Refused by {found.refused_by}: {found.why}</span>{/if}
    </td>
    <td class="text-right whitespace-nowrap">
      {#if may}
        <button class="action" aria-label="Vet {found.device}" onclick={() => begin(found, 'vet')}>Vet …</button>
        {#if !found.refused_by}<button class="action" aria-label="Refuse {found.device}" onclick={() => begin(found, 'refuse')}>Refuse …</button>{/if}
      {/if}
    </td>
  {/snippet}
</ListTable>
{#if about}
  <form class="mt-4 max-w-xl border border-line p-4" aria-label="{doing === 'vet' ? 'Vet' : 'Refuse'} {about}" onsubmit={(event) => { event.preventDefault(); void decide(); }}>
    {#if doing === 'vet'}
      <p class="mb-3 font-semibold">Put {about} on the list, as one that may be used</p>
      <label class="mb-2 block text-small">Its id<input class="field" bind:value={id} required autocomplete="off" spellcheck="false" /></label>
      <label class="mb-2 block text-small">Whose it is<select class="field" bind:value={owner}><option value="company">the company’s</option><option value="personal">somebody’s own</option></select></label>
      <label class="mb-2 block text-small">The person who uses it<input class="field" bind:value={person} placeholder="nobody’s in particular" autocomplete="off" spellcheck="false" /></label>
    {:else}
      <p class="mb-3 font-semibold">Keep {about} off the list</p>
      <label class="mb-2 block text-small">Why<input class="field" bind:value={why} required maxlength="500" autocomplete="off" /></label>
    {/if}
    {#if acting.refused}<Failing problem={acting.refused} />{/if}
    <p class="mt-3 flex gap-2"><button class="action">{doing === 'vet' ? 'Put it on the list' : 'Refuse it'}</button><button type="button" class="action" onclick={() => (about = '')}>Cancel</button></p>
  </form>
{/if}
