<script lang="ts">
  // The tokens of programs: what each may do, and what each door is believed about.
  import { onMount } from 'svelte';
  import { api, Failure } from '../../lib/api/client';
  import type { Problem, TokenInfo, TokenList, TokenMade } from '../../lib/api/types';
  import { count, moment } from '../../lib/format';
  import { rows } from '../../lib/keys';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import Made from './Made.svelte';
  import TokenForm from './TokenForm.svelte';

  const list = new Load<TokenList>();
  let made = $state<TokenMade | null>(null);
  let making = $state(false);
  let asking = $state('');
  let all = $state(false);
  let refused = $state<Problem | null>(null);
  const load = () => void list.run((signal) => api.tokens(signal));
  onMount(load);

  const now = $derived(list.value ? new Date().toISOString() : '');
  const good = (token: TokenInfo) => !token.revoked && (token.expires_at === null || token.expires_at > now);
  const shown = $derived((list.value?.items ?? []).filter((token) => all || good(token)));
  const gone = $derived((list.value?.items ?? []).filter((token) => !good(token)).length);
  const doors = $derived(shown.filter((token) => token.role === 'door' && good(token)).length);
  const standing = (token: TokenInfo) => (token.revoked ? 'revoked' : good(token) ? 'in use' : 'expired');

  async function revoke(token: TokenInfo): Promise<void> {
    asking = '';
    refused = null;
    try {
      list.value = await api.revokeToken(token.id);
    } catch (error) {
      if (!(error instanceof Failure)) throw error;
      refused = error.problem;
    }
  }
</script>

<Heading place="Settings · Tokens">
  {#if list.value}
    {count(shown.filter(good).length, 'token')} in use{doors ? `, ${count(doors, 'door')} among them` : ''}.
  {:else}{list.problem ? 'The tokens cannot be shown.' : 'Looking which tokens there are …'}{/if}
  {#snippet aside()}
    {#if gone}<button class="action" aria-pressed={all} onclick={() => (all = !all)}>Revoked and expired too</button>{/if}
    <button class="action" aria-expanded={making} onclick={() => (making = !making)}>Make a token …</button>
  {/snippet}
</Heading>

{#if made}<Made says={`The token ${made.info.name} is made.`} secret={made.token} done={() => (made = null)} />{/if}
{#if making}
  <TokenForm
    done={(token) => {
      made = token;
      making = false;
      load();
    }}
    leave={() => (making = false)}
  />
{/if}
{#if refused}<Failing problem={refused} again={load} />{/if}
{#if list.problem}
  <Failing problem={list.problem} again={load} />
{:else if !list.value}
  <Waiting lines={8} />
{:else if !shown.length}
  <p>Here will be the tokens of programs, and what each may report. The first is made above, or with <code>caddrel token create</code>.</p>
{:else}
  <!-- svelte-ignore a11y_no_noninteractive_tabindex: a region that scrolls must be reachable by keyboard -->
  <div class="relative overflow-x-auto" {@attach rows} tabindex="0" role="region" aria-label="Tokens">
    <table class="ruled min-w-[52rem]">
      <thead>
        <tr><th>Name</th><th>Role</th><th>May report, or is for</th><th>Made by</th><th>Expires</th><th>Last used (UTC)</th><th>State</th><th><span class="sr-only">Revoke it</span></th></tr>
      </thead>
      <tbody>
        {#each shown as token (token.id)}
          <tr class="hover:bg-sunk">
            <td>{token.name}<span class="block font-mono text-fine text-muted">{token.id}</span></td>
            <td>{token.role}{#if token.sees}<span class="block text-fine text-muted">told what is for administrators</span>{/if}</td>
            <td class="max-w-[26rem] font-mono text-fine">
              {#if token.role === 'door'}{(token.reports ?? []).join(', ')}{:else if token.role === 'device'}its own state{:else if (token.only ?? []).length}only {(token.only ?? []).join(', ')}{:else}<span class="text-muted">all that its role may</span>{/if}
            </td>
            <td>{token.created_by}<span class="block text-fine text-muted tabular-nums">{token.created_at.slice(0, 10)}</span></td>
            <td class="whitespace-nowrap tabular-nums">{token.expires_at?.slice(0, 10) ?? 'never'}</td>
            <td class="whitespace-nowrap tabular-nums">{token.used_at ? moment(token.used_at) : 'never'}<span class="block font-mono text-fine text-muted">{token.used_from}</span></td>
            <td>{standing(token)}{#each token.plans ?? [] as plan (plan)}<a class="block text-fine" href="#/drafts/{plan}">planned {plan}</a>{/each}</td>
            <td class="text-right whitespace-nowrap">
              {#if !good(token)}
                <!-- Nothing is left to revoke. -->
              {:else if asking === token.id}
                <button class="action" onclick={() => revoke(token)}>Revoke it</button>
                <button class="action" onclick={() => (asking = '')}>Keep</button>
              {:else}
                <button class="action" aria-label="Revoke the token {token.name}" onclick={() => (asking = token.id)}>Revoke …</button>
              {/if}
            </td>
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
{/if}
