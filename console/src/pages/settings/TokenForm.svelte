<script lang="ts">
  // A token to make: its role, how long it is good, and of a door what it is believed about.
  import { api, Failure } from '../../lib/api/client';
  import type { Problem, TokenMade } from '../../lib/api/types';
  import Failing from '../../lib/parts/Failing.svelte';

  let { done, leave }: { done: (made: TokenMade) => void; leave: () => void } = $props();
  const ROLES: Record<string, string> = {
    door: 'asks for decisions, and does nothing else',
    device: 'reports its own state; its name is the id of the device',
    receiver: 'is told security events, over streams of its own',
    directory: 'says which people and groups there are, by SCIM',
    viewer: 'reads everything',
    author: 'reads, and checks rulebooks',
    publisher: 'publishes rulebooks',
    operator: 'does everything',
  };
  const ROLES_FOR_SOME = ['viewer', 'author', 'publisher', 'operator'];
  let name = $state('');
  let role = $state('door');
  let days = $state(90);
  let reports = $state('');
  let only = $state('');
  let sees = $state(false);
  let refused = $state<Problem | null>(null);

  async function make(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    refused = null;
    const said = role === 'door' ? reports.split(/[\s,]+/).filter(Boolean) : [];
    try {
      done(await api.makeToken({ name, role, days, reports: said, sees: sees && role === 'door', only: ROLES_FOR_SOME.includes(role) ? only.split(/[\s,]+/).filter(Boolean) : [] }));
    } catch (error) {
      if (!(error instanceof Failure)) throw error;
      refused = error.problem;
    }
  }
</script>

<form class="mb-6 grid max-w-3xl gap-3 border border-rule bg-raised p-4 sm:grid-cols-2" onsubmit={make}>
  <label class="text-small">Name<input class="field" bind:value={name} required maxlength="100" placeholder={role === 'device' ? 'tab-0117' : 'front-door'} /></label>
  <label class="text-small">Days until it expires<input class="field" type="number" min="1" max="3660" bind:value={days} required /></label>
  <div class="text-small sm:col-span-2">
    <label for="token-role">Role</label>
    <select id="token-role" class="field" bind:value={role}>
      {#each Object.entries(ROLES) as [id, says] (id)}<option value={id}>{id}: {says}</option>{/each}
    </select>
  </div>
  {#if role === 'door'}
    <label class="text-small sm:col-span-2">Facts that it may report, or the beginnings of several
      <input class="field font-mono" bind:value={reports} placeholder="left empty: what only a door can see" spellcheck="false" />
    </label>
    <label class="flex items-center gap-2 text-small sm:col-span-2"><input type="checkbox" bind:checked={sees} /> Tell it what is for administrators: reason, deciding rules, what is unknown</label>
  {/if}
  {#if ROLES_FOR_SOME.includes(role)}
    <label class="text-small sm:col-span-2">What it is for, and nothing else
      <input class="field font-mono" bind:value={only} placeholder="left empty: all that its role may; such as signins, jobs" spellcheck="false" />
    </label>
  {/if}
  {#if refused}<div class="sm:col-span-2"><Failing problem={refused} /></div>{/if}
  <div class="flex gap-2 sm:col-span-2">
    <button class="action">Make the token</button>
    <button class="action" type="button" onclick={leave}>Not now</button>
  </div>
</form>
