<script lang="ts">
  // A small change of the current revision, published at once with its reason.
  import { api, Failure } from '../api/client';
  import type { Edit, Problem } from '../api/types';
  import Failing from './Failing.svelte';

  let { says, edits, done, cancel }: { says: string; edits: Edit[]; done: () => void; cancel: () => void } = $props();
  let why = $state('');
  let accept = $state('');
  let refused = $state<Problem | null>(null);
  let busy = $state(false);

  async function publish(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    busy = true;
    try {
      await api.edit(edits, why, accept);
      refused = null;
      why = accept = '';
      done();
    } catch (error) {
      if (!(error instanceof Failure)) throw error;
      refused = error.problem;
    } finally {
      busy = false;
    }
  }
</script>

<form class="mb-5 border-l-4 border-accent bg-accent-soft px-4 py-3" onsubmit={publish}>
  <p class="font-semibold">{says}</p>
  <label class="mt-1 block max-w-xl text-small">Why, for those who read the history<input class="field" bind:value={why} required maxlength="1000" /></label>
  {#if refused?.code === 'lockout-risk' || accept}
    <label class="mt-1 block max-w-xl text-small">Why it is to be published although somebody who must get in could be locked out<input class="field" bind:value={accept} maxlength="1000" /></label>
  {/if}
  <p class="mt-2 flex gap-2"><button class="action" disabled={busy || !edits.length}>Publish as one revision</button><button type="button" class="action" onclick={cancel}>Leave it</button></p>
  {#if refused}<div class="mt-2"><Failing problem={refused} /></div>{/if}
</form>
