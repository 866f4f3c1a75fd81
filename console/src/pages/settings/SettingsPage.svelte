<script lang="ts">
  // What is set up once and looked at now and then: tokens, starter codes, acceptances, feeds.
  import Account from './Account.svelte';
  import Acceptances from './Acceptances.svelte';
  import AuditTrail from './AuditTrail.svelte';
  import Feeds from './Feeds.svelte';
  import StarterCodes from './StarterCodes.svelte';
  import Tokens from './Tokens.svelte';

  let { params }: { params?: { part?: string } } = $props();
  const PARTS = { tokens: 'Tokens', 'starter-codes': 'Starter codes', acceptances: 'Acceptances', feeds: 'Feeds', audit: 'Audit', account: 'Account' };
  const part = $derived(params?.part && params.part in PARTS ? params.part : 'tokens');
</script>

<nav aria-label="Settings" class="mb-4 flex flex-wrap gap-4 text-small">
  {#each Object.entries(PARTS) as [name, word] (name)}
    <a href="#/settings/{name}" aria-current={part === name ? 'page' : undefined} class="py-0.5 aria-[current=page]:border-b-2 aria-[current=page]:border-accent aria-[current=page]:font-semibold">{word}</a>
  {/each}
</nav>
{#if part === 'starter-codes'}<StarterCodes />{:else if part === 'acceptances'}<Acceptances />{:else if part === 'feeds'}<Feeds />{:else if part === 'audit'}<AuditTrail />{:else if part === 'account'}<Account />{:else}<Tokens />{/if}
