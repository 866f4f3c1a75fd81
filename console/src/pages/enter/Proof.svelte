<script lang="ts">
  // Proving who one is: by passkey or a code where the account has them, else by the password.
  import { api, Failure } from '../../lib/api/client';
  import type { Problem, SessionInfo } from '../../lib/api/types';
  import Failing from '../../lib/parts/Failing.svelte';
  import { canPasskey, provePasskey } from '../../lib/passkeys';

  let { factors, done }: { factors: string[]; done: (info: SessionInfo) => void } = $props();
  let code = $state('');
  let password = $state('');
  let busy = $state(false);
  let problem = $state<Problem | null>(null);

  async function attempt(ask: () => Promise<SessionInfo>): Promise<void> {
    busy = true;
    problem = null;
    try {
      done(await ask());
    } catch (error) {
      problem =
        error instanceof Failure
          ? error.problem
          : { title: 'The browser did not prove the passkey.', status: 0, code: 'no-passkey', hint: 'Try again, or use a code.' };
    }
    busy = false;
    code = password = '';
  }
  const byPasskey = () =>
    attempt(async () => api.prove({ passkey: await provePasskey((await api.askPasskey()).options as Record<string, unknown>) }));
  function submit(event: SubmitEvent): void {
    event.preventDefault();
    void attempt(() => api.prove(factors.length ? { totp: code.trim() } : { password }));
  }
</script>

{#if problem}<div class="mb-4"><Failing {problem} /></div>{/if}
{#if factors.includes('passkey')}
  <p class="mb-4"><button class="action" disabled={busy || !canPasskey()} onclick={byPasskey}>Use a passkey</button></p>
{/if}
{#if factors.includes('totp') || !factors.length}
  <form onsubmit={submit} class="grid gap-3">
    {#if factors.length}
      <label class="text-small">Code of the authenticator app
        <input class="field font-mono tabular-nums" bind:value={code} inputmode="numeric" autocomplete="one-time-code" maxlength="6" required /></label>
    {:else}
      <label class="text-small">Password<input class="field" type="password" bind:value={password} autocomplete="current-password" required /></label>
    {/if}
    <div><button class="action" disabled={busy}>{busy ? 'One moment …' : 'Prove it'}</button></div>
  </form>
{/if}
