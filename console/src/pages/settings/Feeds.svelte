<script lang="ts">
  // What keeps the facts current and who is told of them: events in and out, directories; each with its last word.
  import { onMount } from 'svelte';
  import { api } from '../../lib/api/client';
  import type { FeedList, FeedView } from '../../lib/api/types';
  import { count, moment, number } from '../../lib/format';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import ListTable from '../../lib/parts/ListTable.svelte';
  import TwoSteps from '../../lib/parts/TwoSteps.svelte';
  import { Act } from '../../lib/state/act.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import { session } from '../../lib/state/session.svelte';

  const list = new Load<FeedList>();
  const acting = new Act();
  const load = () => void list.run((signal) => api.feeds(signal));
  onMount(load);
  const may = $derived(session.info?.role === 'operator');
  const failing = $derived((list.value?.items ?? []).filter((each) => each.error).length);
  const KINDS: Record<FeedView['kind'], string> = { 'events in': 'tells events', 'events out': 'is told events', hook: 'is told what is new', directory: 'keeps people and groups', 'address list': 'is an address list that is fetched', devices: 'fetches devices' };

  async function pause(feed: FeedView): Promise<void> {
    await acting.run(() => api.pauseFeed(feed.name, feed.state !== 'paused'));
    load();
  }
  async function take(feed: FeedView): Promise<void> {
    await acting.run(() => api.takeHeld(feed.name));
    load();
  }
  async function remove(feed: FeedView): Promise<void> {
    await acting.run(() => api.removeFeed(feed.name));
    load();
  }
</script>

<Heading place="Settings · Feeds">
  {#if list.value}
    {list.value.items.length ? `${count(list.value.items.length, 'feed')}${failing ? `, ${failing === 1 ? 'one has' : `${failing} have`} something wrong` : ''}.` : 'Nothing keeps the facts current by itself yet.'}
  {:else}{list.problem ? 'The feeds cannot be shown.' : 'Looking what keeps the facts current …'}{/if}
</Heading>
{#if acting.refused}<Failing problem={acting.refused} again={load} />{/if}
<ListTable
  {list}
  items={list.value?.items ?? []}
  key={(found) => found.name}
  label="Feeds"
  width="52rem"
  again={load}
  columns={['Name', 'What it does', 'State', 'Last word (UTC)', 'Events', 'What is wrong', '(Change it)']}
>
  {#snippet none()}
    <p>Here will be what keeps the facts current, and who is told of them:</p>
    <ul class="mt-2 list-disc pl-5">
      <li>a directory that speaks SCIM 2.0: <code>caddrel token create "head office" --role directory</code></li>
      <li>a receiver of shared signals: <code>caddrel token create "mail gateway" --role receiver</code></li>
      <li>an address list that others publish: <code>caddrel feeds fetch bad-addresses https://…</code></li>
      <li>a desk that is told what is new: <code>caddrel feeds tell "night desk" https://…</code></li>
      <li>whoever tells security events: <code>caddrel feeds add "threat feed" --issuer … --keys jwks.json</code></li>
    </ul>
    <p class="mt-2"><a href="/docs/feeds" target="_blank" rel="noopener">How they go together</a></p>
  {/snippet}
  {#snippet row(found)}
    <td>{found.name}{#if found.issuer || found.address}<span class="block text-fine text-muted wrap-anywhere">{found.issuer || found.address}</span>{/if}</td>
    <td>{KINDS[found.kind]}{#if found.kind !== 'address list' && found.kind !== 'devices'}<span class="block text-fine text-muted">{found.keeps.join(', ')}</span>{/if}</td>
    <td class:text-challenged={found.state !== 'on' && found.state !== 'enabled'}>{found.state}</td>
    <td class="whitespace-nowrap">{#if found.last}{moment(found.last)}{:else}<span class="text-muted">none yet</span>{/if}</td>
    <td class="tabular-nums">{found.events ? number(found.events) : ''}{#if found.waiting}<span class="block text-fine text-challenged">{number(found.waiting)} waiting</span>{/if}</td>
    <td class="text-blocked wrap-anywhere">{found.error}</td>
    <td class="text-right whitespace-nowrap">
      {#if may && found.kind !== 'directory'}
        {#if found.state === 'held back'}<TwoSteps word="Take it in" label="Take it in: what {found.name} holds now" sure="Take it in" act={() => take(found)} />{/if}
        <button class="action" onclick={() => void pause(found)}>{found.state === 'paused' ? 'Go on' : 'Pause'}</button>
        <TwoSteps word="Remove" label="Remove {found.name}" sure="Remove it" act={() => remove(found)} />
      {/if}
    </td>
  {/snippet}
</ListTable>
