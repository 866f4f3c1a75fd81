<script lang="ts">
  // The tokens of programs: what each may do, and what each door is believed about.
  import { onMount } from 'svelte';
  import { api } from '../../lib/api/client';
  import type { TokenInfo, TokenList, TokenMade } from '../../lib/api/types';
  import { count, moment } from '../../lib/format';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import ListTable from '../../lib/parts/ListTable.svelte';
  import TwoSteps from '../../lib/parts/TwoSteps.svelte';
  import { Act } from '../../lib/state/act.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import Made from './Made.svelte';
  import TokenForm from './TokenForm.svelte';

  const list = new Load<TokenList>();
  let made = $state<TokenMade | null>(null);
  let making = $state(false);
  let all = $state(false);
  const revoking = new Act();
  const load = () => void list.run((signal) => api.tokens(signal));
  onMount(load);

  const now = $derived(list.value ? new Date().toISOString() : '');
  const good = (token: TokenInfo) => !token.revoked && (token.expires_at === null || token.expires_at > now);
  const shown = $derived((list.value?.items ?? []).filter((token) => all || good(token)));
  const gone = $derived((list.value?.items ?? []).filter((token) => !good(token)).length);
  const doors = $derived(shown.filter((token) => token.role === 'door' && good(token)).length);
  const standing = (token: TokenInfo) => (token.revoked ? 'revoked' : good(token) ? 'in use' : 'expired');

  const revoke = (token: TokenInfo) => revoking.run(async () => (list.value = await api.revokeToken(token.id)));
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
{#if revoking.refused}<Failing problem={revoking.refused} again={load} />{/if}
<ListTable
  {list}
  items={shown}
  key={(token) => token.id}
  label="Tokens"
  width="52rem"
  again={load}
  columns={['Name', 'Role', 'May report, or is for', 'Made by', 'Expires', 'Last used (UTC)', 'State', '(Revoke it)']}
>
  {#snippet none()}
    <p>Here will be the tokens of programs, and what each may report. The first is made above, or with <code>caddrel token create</code>.</p>
  {/snippet}
  {#snippet row(token)}
    <td>{token.name}<span class="block font-mono text-fine text-muted">{token.id}</span></td>
    <td>{token.role}{#if token.sees}<span class="block text-fine text-muted">told what is for administrators</span>{/if}</td>
    <td class="max-w-[26rem] font-mono text-fine">
      {#if token.role === 'door'}{(token.reports ?? []).join(', ')}{:else if token.role === 'device'}its own state{:else if (token.only ?? []).length}only {(token.only ?? []).join(', ')}{:else}<span class="text-muted">all that its role may</span>{/if}
    </td>
    <td>{token.created_by}<span class="block text-fine text-muted">{token.created_at.slice(0, 10)}</span></td>
    <td class="whitespace-nowrap">{token.expires_at?.slice(0, 10) ?? 'never'}</td>
    <td class="whitespace-nowrap">{token.used_at ? moment(token.used_at) : 'never'}<span class="block font-mono text-fine text-muted">{token.used_from}</span></td>
    <td>{standing(token)}{#each token.plans ?? [] as plan (plan)}<a class="block text-fine" href="#/drafts/{plan}">planned {plan}</a>{/each}</td>
    <td class="text-right whitespace-nowrap">
      {#if good(token)}<TwoSteps word="Revoke" label="Revoke the token {token.name}" sure="Revoke it" act={() => revoke(token)} />{/if}
    </td>
  {/snippet}
</ListTable>
