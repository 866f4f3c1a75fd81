<script lang="ts">
  // Publishing a draft: why, and, where somebody who must get in could be locked out, why all the same.
  import { push } from 'svelte-spa-router';
  import { api } from '../../lib/api/client';
  import Failing from '../../lib/parts/Failing.svelte';
  import { session } from '../../lib/state/session.svelte';
  import type { Writing } from './writing.svelte';

  let { writing }: { writing: Writing } = $props();
  let why = $state('');
  let accept = $state('');
  let conflicts = $state<{ path: string; mine: string | null; theirs: string | null }[]>([]);
  const may = $derived(session.info?.role === 'publisher' || session.info?.role === 'operator');
  const risky = $derived(writing.refused?.code === 'lockout-risk' || accept !== '');
  const behind = $derived(writing.whole?.info.behind ?? false);

  async function publish(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    if (await writing.attempt(() => api.publishDraft(writing.name, why, accept))) void push('/history');
  }

  async function move(taking: Record<string, string>): Promise<void> {
    await writing.attempt(async () => {
      const moved = await api.moveDraft(writing.name, writing.whole?.info.version ?? 0, taking);
      conflicts = moved.conflicts;
      if (!conflicts.length) await writing.load();
    });
  }
  let taking = $state<Record<string, string>>({});
</script>

{#if behind}
  <div class="mb-4 border-l-4 border-challenged bg-challenged-soft px-4 py-3">
    <p class="font-semibold">A newer revision is current than the one this draft was begun on.</p>
    <button class="action mt-2" onclick={() => move(taking)}>Move the draft onto it</button>
    {#each conflicts as each (each.path)}
      <fieldset class="mt-3 text-small">
        <legend class="font-semibold">{each.path} was changed here and there. Take</legend>
        {#each [['mine', each.mine], ['theirs', each.theirs]] as [side, text] (side)}
          <label class="mt-1 block"><input type="radio" name={each.path} value={side} bind:group={taking[each.path]} /> {side === 'mine' ? 'the one of this draft' : 'the one that is current'}
            <span class="block bg-sunk px-2 font-mono text-fine whitespace-pre-wrap">{text ?? 'taken out'}</span></label>
        {/each}
      </fieldset>
    {/each}
  </div>
{/if}
{#if may}
  <form class="grid max-w-2xl gap-3" onsubmit={publish}>
    <label class="text-small">Why, for those who read the history<input class="field" bind:value={why} required maxlength="1000" /></label>
    {#if risky}
      <label class="text-small">Why it is to be published although somebody who must get in could be locked out<input class="field" bind:value={accept} maxlength="1000" /></label>
    {/if}
    <div><button class="action" disabled={behind}>Publish it</button></div>
  </form>
{:else}
  <p class="text-muted">Publishing needs the role publisher; yours is {session.info?.role}.</p>
{/if}
{#if writing.refused}<div class="mt-3 max-w-3xl"><Failing problem={writing.refused} /></div>{/if}
