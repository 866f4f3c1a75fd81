<script lang="ts">
  // One's own account: its second factors, and who else is signed in to the console.
  import { onMount } from 'svelte';
  import { api, Failure } from '../../lib/api/client';
  import type { ConsoleSessionList, FactorList, Problem } from '../../lib/api/types';
  import { count, moment } from '../../lib/format';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import { session } from '../../lib/state/session.svelte';
  import AddFactor from '../enter/AddFactor.svelte';
  import ChangePassword from './ChangePassword.svelte';

  const factors = new Load<FactorList>();
  const sessions = new Load<ConsoleSessionList>();
  let adding = $state(false);
  let refused = $state<Problem | null>(null);
  const operator = $derived(session.info?.role === 'operator');
  const load = () => void factors.run((signal) => api.factors(signal));
  onMount(() => {
    load();
    if (operator) void sessions.run((signal) => api.consoleSessions(signal));
  });
  const held = $derived((factors.value?.passkeys.length ?? 0) + (factors.value?.totp ? 1 : 0));

  async function attempt(work: () => Promise<void>): Promise<void> {
    refused = null;
    try {
      await work();
    } catch (error) {
      if (!(error instanceof Failure)) throw error;
      refused = error.problem;
    }
  }
  const remove = (id: string) => attempt(async () => { factors.value = await api.removeFactor(id); await session.check(); });
  const end = (account: string) => attempt(async () => { sessions.value = await api.endConsoleSessions(account); });
</script>

<Heading place="Settings · Account">
  {#if factors.value}
    {held ? `${session.info?.account} has ${count(held, 'second factor')}.` : `${session.info?.account} has no second factor${factors.value.required ? ', and needs one' : ' yet'}.`}
  {:else}{factors.problem ? 'The account cannot be shown.' : 'Looking …'}{/if}
  {#snippet aside()}<button class="action" aria-expanded={adding} onclick={() => (adding = !adding)}>Add a second factor …</button>{/snippet}
</Heading>
{#if refused}<div class="mb-4"><Failing problem={refused} /></div>{/if}
{#if adding}
  <div class="mb-6 max-w-2xl border border-rule bg-raised p-4">
    <AddFactor done={(list) => { factors.value = list; adding = false; void session.check(); }} />
  </div>
{/if}
{#if factors.problem}
  <Failing problem={factors.problem} again={load} />
{:else if !factors.value}
  <Waiting lines={4} />
{:else}
  <ul class="mb-8 max-w-3xl">
    {#if factors.value.totp}
      <li class="flex items-baseline gap-3 border-b border-rule py-2"><span>Authenticator app</span><button class="action ml-auto" onclick={() => remove('totp')}>Take it away</button></li>
    {/if}
    {#each factors.value.passkeys as key (key.id)}
      <li class="flex items-baseline gap-3 border-b border-rule py-2">
        <span>{key.title}</span>
        <span class="text-fine text-muted">since {moment(key.created_at)}{key.used_at ? `, used ${moment(key.used_at)}` : ''}</span>
        <button class="action ml-auto" aria-label="Take the passkey {key.title} away" onclick={() => remove(key.id)}>Take it away</button>
      </li>
    {/each}
    {#if !held}<li class="text-muted">With one, a stolen password alone opens nothing here.</li>{/if}
  </ul>
{/if}
<ChangePassword done={() => { if (operator) void sessions.run((signal) => api.consoleSessions(signal)); }} />
{#if sessions.value}
  <h2 class="mb-1 font-semibold">Signed in to the console</h2>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex: a region that scrolls must be reachable by keyboard -->
  <div class="relative overflow-x-auto" tabindex="0" role="region" aria-label="Console sessions">
    <table class="ruled min-w-[40rem]">
      <thead><tr><th>Account</th><th>Since (UTC)</th><th>Last used</th><th>From</th><th><span class="sr-only">End them</span></th></tr></thead>
      <tbody>
        {#each sessions.value.items as each (each.id)}
          <tr class="hover:bg-sunk">
            <td>{each.account}{#if each.mine}<span class="text-muted">&nbsp;this one</span>{/if}</td>
            <td class="whitespace-nowrap">{moment(each.created_at)}</td>
            <td class="whitespace-nowrap">{moment(each.seen_at)}</td>
            <td class="font-mono text-fine">{each.address}</td>
            <td class="text-right">{#if !each.mine}<button class="action" aria-label="End the sessions of {each.account}" onclick={() => end(each.account)}>End theirs</button>{/if}</td>
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
{/if}
