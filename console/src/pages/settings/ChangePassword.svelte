<script lang="ts">
  // Another password for one's own account.
  import { api, Failure } from '../../lib/api/client';
  import type { Problem } from '../../lib/api/types';
  import Failing from '../../lib/parts/Failing.svelte';

  let { done }: { done: () => void } = $props();
  let current = $state('');
  let password = $state('');
  let refused = $state<Problem | null>(null);
  let changed = $state(false);

  async function change(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    refused = null;
    changed = false;
    try {
      await api.changePassword(current, password);
      current = password = '';
      changed = true;
      done();
    } catch (error) {
      if (!(error instanceof Failure)) throw error;
      refused = error.problem;
    }
  }
</script>

<h2 class="mb-1 font-semibold">Password</h2>
<form class="mb-8 flex max-w-3xl flex-wrap items-end gap-3" onsubmit={change}>
  <label class="text-small">The one it has
    <input class="field" type="password" autocomplete="current-password" maxlength="256" bind:value={current} />
  </label>
  <label class="text-small">A new one
    <input class="field" type="password" autocomplete="new-password" maxlength="256" required bind:value={password} />
  </label>
  <button class="action">Change it</button>
  {#if changed}<p role="status">It is changed. Other sessions of this account have ended.</p>{/if}
</form>
{#if refused}<div class="mb-6 max-w-3xl"><Failing problem={refused} /></div>{/if}
