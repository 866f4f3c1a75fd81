<script lang="ts">
  // Who is in through a door: since when, under which limits; each can be ended, and its next request is refused.
  import { onMount } from 'svelte';
  import { api } from '../../lib/api/client';
  import type { DoorSession, HeldChangeList, SessionList } from '../../lib/api/types';
  import { count, moment } from '../../lib/format';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import ListTable from '../../lib/parts/ListTable.svelte';
  import TwoSteps from '../../lib/parts/TwoSteps.svelte';
  import { Act } from '../../lib/state/act.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import { session } from '../../lib/state/session.svelte';

  const EVERY = 5_000;
  const list = new Load<SessionList>();
  const ending = new Act();
  const held = new Load<HeldChangeList>();
  const deciding = new Act();
  const load = () => {
    void list.run((signal) => api.sessions(signal));
    void held.run((signal) => api.heldChanges(signal));
  };
  const mayDecide = $derived(['publisher', 'operator'].includes(session.info?.role ?? ''));
  async function decide(number: number, verdict: 'carry out' | 'spare'): Promise<void> {
    await deciding.run(() => api.decideHeld(number, verdict));
    load();
  }
  const people = $derived(new Set(list.value?.items.map((found) => found.person)).size);
  const mayEnd = $derived(session.info?.role === 'operator');
  onMount(() => {
    load();
    // Looked at again while somebody looks: people come and go.
    const timer = setInterval(() => document.hidden || load(), EVERY);
    return () => clearInterval(timer);
  });

  async function end(found: DoorSession): Promise<void> {
    await ending.run(() => api.endSession(found.id));
    load();
  }

  const ends = (found: DoorSession) => [found.ends_at, found.idle_ends_at].filter((at) => at !== null).sort()[0];
</script>

<Heading place="Sessions">
  {#if list.value}
    {list.value.items.length ? `${count(people, 'person', 'people')} in, ${count(list.value.items.length, 'session')}.` : 'Nobody is in.'}
  {:else}{list.problem ? 'The sessions cannot be shown.' : 'Looking who is in …'}{/if}
</Heading>

{#if ending.refused}<Failing problem={ending.refused} again={load} />{/if}
{#if deciding.refused}<Failing problem={deciding.refused} again={load} />{/if}
{#each held.value?.items ?? [] as change (change.number)}
  {@const whose = [...new Set(change.sessions.map((each) => each.person))]}
  <section class="mb-4 border-l-4 border-challenged bg-challenged-soft px-4 py-2" aria-label="Held change {change.number}" data-held={change.number}>
    <p class="font-semibold">Held: {change.because}</p>
    <p class="text-small">{change.why[0]?.toUpperCase()}{change.why.slice(1)}. Of {whose.slice(0, 12).join(', ')}{whose.length > 12 ? ` and ${whose.length - 12} more` : ''}.</p>
    {#if mayDecide}
      <p class="mt-1 flex gap-2">
        <TwoSteps word="End {count(change.sessions.length, 'session')}" label="End the sessions of held change {change.number}" sure="End them" act={() => decide(change.number, 'carry out')} />
        <button class="action" onclick={() => void decide(change.number, 'spare')}>Leave them in</button>
      </p>
    {/if}
  </section>
{/each}
<ListTable
  {list}
  items={list.value?.items ?? []}
  key={(found) => found.id}
  label="Sessions"
  width="56rem"
  again={load}
  columns={['Person', 'Opened last', 'Device', 'Door', 'Since (UTC)', 'Seen', 'Ends', 'By', '(End it)']}
>
  {#snippet none()}
    <p>Here will be whoever a door lets in. A door asks for decisions with a token of its own:</p>
    <pre class="mt-3 bg-sunk p-3 font-mono text-small">caddrel token create front-door --role door</pre>
  {/snippet}
  {#snippet row(found)}
    {@const until = ends(found)}
    <td><a data-row href="#/signins/{encodeURIComponent(found.signin)}" aria-label="Trace how {found.person} came in">{found.person}</a></td>
    <td>{found.app}{#if found.asks?.length}<span class="block text-fine text-challenged" title={found.because}>will be asked for {found.asks.join(', ')}</span>{/if}{#if found.held}<span class="block text-fine text-challenged">held change {found.held}</span>{/if}</td>
    <td>{found.device ?? ''}{#if !found.device}<span class="text-muted">not named</span>{/if}</td>
    <td>{found.door}</td>
    <td class="whitespace-nowrap">{moment(found.started)}</td>
    <td class="whitespace-nowrap">{moment(found.seen)}</td>
    <td class="whitespace-nowrap tabular-nums">
      {until ? moment(until) : ''}
      {#if !until}<span class="text-muted">no limit</span>{/if}
      {#if found.end_with_browser}<span class="block text-fine text-muted">with the browser</span>{/if}
    </td>
    <td class="text-fine text-muted">{found.methods.join(', ')}</td>
    <td class="text-right whitespace-nowrap">
      <!-- A viewer sees who is in, and ends nothing. -->
      {#if mayEnd}<TwoSteps word="End" label="End the session of {found.person}" sure="End it" act={() => end(found)} />{/if}
    </td>
  {/snippet}
</ListTable>
