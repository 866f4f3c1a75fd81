<script lang="ts">
  // Adding a second factor: an authenticator app by its first code, or a passkey.
  import { api, Failure } from '../../lib/api/client';
  import type { FactorList, Problem, TotpBegun } from '../../lib/api/types';
  import Failing from '../../lib/parts/Failing.svelte';
  import { canPasskey, makePasskey } from '../../lib/passkeys';

  let { done }: { done: (list: FactorList) => void } = $props();
  let begun = $state<TotpBegun | null>(null);
  let code = $state('');
  let title = $state('');
  let problem = $state<Problem | null>(null);

  async function attempt(work: () => Promise<void>): Promise<void> {
    problem = null;
    try {
      await work();
    } catch (error) {
      problem =
        error instanceof Failure
          ? error.problem
          : { title: 'The browser made no passkey.', status: 0, code: 'no-passkey', hint: 'It needs https, or localhost.' };
    }
  }
  const begin = () => attempt(async () => { begun = await api.beginTotp(); });
  function confirm(event: SubmitEvent): void {
    event.preventDefault();
    void attempt(async () => {
      const list = await api.confirmTotp(begun?.begun ?? '', code.trim());
      begun = null;
      code = '';
      done(list);
    });
  }
  function passkey(event: SubmitEvent): void {
    event.preventDefault();
    void attempt(async () => {
      const made = await makePasskey((await api.beginPasskey()).options as Record<string, unknown>);
      done(await api.keepPasskey(made, title));
      title = '';
    });
  }
</script>

{#if problem}<div class="mb-4"><Failing {problem} /></div>{/if}
<div class="grid gap-6">
  <section>
    <h3 class="font-semibold">An authenticator app</h3>
    {#if begun}
      <p class="text-small">Type this key into the app, or open it <a href={begun.link}>there</a>; then give the code that it shows.</p>
      <p class="my-2 bg-sunk px-3 py-2 font-mono wrap-anywhere">{begun.secret.replace(/(.{4})(?=.)/g, '$1 ')}</p>
      <form onsubmit={confirm} class="flex items-end gap-2">
        <label class="text-small">Code<input class="field w-32 font-mono tabular-nums" bind:value={code} inputmode="numeric" maxlength="6" required /></label>
        <button class="action">Keep it</button>
      </form>
    {:else}
      <p class="text-small text-muted">A code of six digits, another every half minute; each is good once.</p>
      <button class="action mt-1" onclick={begin}>Set one up …</button>
    {/if}
  </section>
  <section>
    <h3 class="font-semibold">A passkey</h3>
    <p class="text-small text-muted">This device, a phone or a security key; nobody can ask you for it on another page.</p>
    <form onsubmit={passkey} class="mt-1 flex items-end gap-2">
      <label class="text-small">What it is called<input class="field" bind:value={title} maxlength="100" placeholder="Laptop" /></label>
      <button class="action" disabled={!canPasskey()}>Make one</button>
    </form>
    {#if !canPasskey()}<p class="mt-1 text-fine text-muted">Browsers make passkeys over https, or at localhost.</p>{/if}
  </section>
</div>
