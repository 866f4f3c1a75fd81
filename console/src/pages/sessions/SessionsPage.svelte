<script lang="ts">
  // Who is in through a door: since when, under which limits; each can be ended, and its next request is refused.
  import { onMount } from 'svelte';
  import { api, Failure } from '../../lib/api/client';
  import type { DoorSession, Problem, SessionList } from '../../lib/api/types';
  import { count, moment } from '../../lib/format';
  import { rows } from '../../lib/keys';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import { session } from '../../lib/state/session.svelte';

  const EVERY = 5_000;
  const list = new Load<SessionList>();
  let refused = $state<Problem | null>(null);
  let asking = $state('');
  const load = () => void list.run((signal) => api.sessions(signal));
  const people = $derived(new Set(list.value?.items.map((found) => found.person)).size);
  const mayEnd = $derived(session.info?.role === 'operator');
  onMount(() => {
    load();
    // Looked at again while somebody looks: people come and go.
    const timer = setInterval(() => document.hidden || asking || load(), EVERY);
    return () => clearInterval(timer);
  });

  async function end(found: DoorSession): Promise<void> {
    asking = '';
    refused = null;
    try {
      await api.endSession(found.id);
    } catch (error) {
      if (!(error instanceof Failure)) throw error;
      refused = error.problem;
    }
    load();
  }

  const ends = (found: DoorSession) => [found.ends_at, found.idle_ends_at].filter((at) => at !== null).sort()[0];
</script>

<Heading place="Sessions">
  {#if list.value}
    {list.value.items.length ? `${count(people, 'person', 'people')} in, ${count(list.value.items.length, 'session')}.` : 'Nobody is in.'}
  {:else}{list.problem ? 'The sessions cannot be shown.' : 'Looking who is in …'}{/if}
</Heading>

{#if refused}<Failing problem={refused} again={load} />{/if}
{#if list.problem}
  <Failing problem={list.problem} again={load} />
{:else if !list.value}
  <Waiting lines={8} />
{:else if !list.value.items.length}
  <p>Here will be whoever a door lets in. A door asks for decisions with a token of its own:</p>
  <pre class="mt-3 bg-sunk p-3 font-mono text-small">caddrel token create front-door --role door</pre>
{:else}
  <!-- svelte-ignore a11y_no_noninteractive_tabindex: a region that scrolls must be reachable by keyboard -->
  <div class="relative overflow-x-auto" {@attach rows} tabindex="0" role="region" aria-label="Sessions">
    <table class="ruled min-w-[56rem]">
      <thead>
        <tr><th>Person</th><th>Opened last</th><th>Device</th><th>Door</th><th>Since (UTC)</th><th>Seen</th><th>Ends</th><th>By</th><th><span class="sr-only">End it</span></th></tr>
      </thead>
      <tbody>
        {#each list.value.items as found (found.id)}
          {@const until = ends(found)}
          <tr class="hover:bg-sunk">
            <td><a data-row href="#/signins/{encodeURIComponent(found.signin)}" aria-label="Trace how {found.person} came in">{found.person}</a></td>
            <td>{found.app}</td>
            <td>{found.device ?? ''}{#if !found.device}<span class="text-muted">not named</span>{/if}</td>
            <td>{found.door}</td>
            <td class="whitespace-nowrap tabular-nums">{moment(found.started)}</td>
            <td class="whitespace-nowrap tabular-nums">{moment(found.seen)}</td>
            <td class="whitespace-nowrap tabular-nums">
              {until ? moment(until) : ''}
              {#if !until}<span class="text-muted">no limit</span>{/if}
              {#if found.end_with_browser}<span class="block text-fine text-muted">with the browser</span>{/if}
            </td>
            <td class="text-fine text-muted">{found.methods.join(', ')}</td>
            <td class="text-right whitespace-nowrap">
              {#if !mayEnd}
                <!-- A viewer sees who is in, and ends nothing. -->
              {:else if asking === found.id}
                <button class="action" onclick={() => end(found)}>End it</button>
                <button class="action" onclick={() => (asking = '')}>Keep</button>
              {:else}
                <button class="action" aria-label="End the session of {found.person}" onclick={() => (asking = found.id)}>End …</button>
              {/if}
            </td>
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
{/if}
