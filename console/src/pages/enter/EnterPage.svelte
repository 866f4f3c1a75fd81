<script lang="ts">
  // Signing in to the console: by a one-time link, or by name and password.
  import { replace, router } from 'svelte-spa-router';
  import Failing from '../../lib/parts/Failing.svelte';
  import AddFactor from './AddFactor.svelte';
  import Proof from './Proof.svelte';
  import { session } from '../../lib/state/session.svelte';

  let name = $state('');
  let password = $state('');
  let busy = $state(false);

  // The link may also be pasted into a tab that shows this page already: then only the address changes.
  $effect(() => {
    const code = router.location === '/enter' ? new URLSearchParams(router.querystring ?? '').get('code') : null;
    if (code) void enter(code);
    else if (router.location === '/enter' && session.info && !session.info.half) void replace('/watch');
  });

  async function enter(code: string): Promise<void> {
    await session.enter(code);
    // The code is used up and must not stay in the address bar.
    await replace(session.info ? '/watch' : '/enter');
  }

  async function submit(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    busy = true;
    await session.signIn(name, password);
    busy = false;
    if (session.info && !session.info.half && router.location === '/enter') await replace('/watch');
  }
</script>

<svelte:head><title>Enter · Caddrel</title></svelte:head>
<main class="mx-auto flex min-h-screen max-w-md flex-col justify-center px-6 py-10">
  <h1 class="mb-1 flex items-center gap-2 text-title font-semibold">
    <img src="/favicon.svg" alt="" width="24" height="24" />Caddrel
  </h1>
  <p class="mb-6 text-muted">Sign-in access policies: write them, rehearse sign-ins, trace blocks.</p>
  {#if session.problem}<div class="mb-5"><Failing problem={session.problem} /></div>{/if}
  {#if session.info?.half}
    <div class="border-t-2 border-ink pt-5">
      {#if session.info.factors?.length}
        <h2 class="mb-3 text-lead font-semibold">One more proof, {session.info.account}</h2>
        <Proof factors={session.info.factors} done={(info) => (session.info = info)} />
      {:else}
        <h2 class="mb-1 text-lead font-semibold">A second factor is required here</h2>
        <p class="mb-4 text-small text-muted">Set one up, {session.info.account}; from then on you are asked for it after your password.</p>
        <AddFactor done={() => void session.check()} />
      {/if}
      <p class="mt-6"><button class="text-small text-accent underline underline-offset-3" onclick={() => void session.signOut()}>Somebody else</button></p>
    </div>
  {:else}
  <form onsubmit={submit} class="border-t-2 border-ink pt-5">
    <label class="eyebrow" for="name">Name</label>
    <input id="name" class="field mb-4" bind:value={name} autocomplete="username" required />
    <label class="eyebrow" for="password">Password</label>
    <input id="password" class="field mb-5" type="password" bind:value={password} autocomplete="current-password" required />
    <button class="action" disabled={busy}>{busy ? 'One moment …' : 'Enter'}</button>
  </form>
  <p class="mt-6 text-small text-muted">
    No password yet? On the host, <code class="font-mono">caddrel account enter</code> makes a one-time way in.
  </p>
  {/if}
</main>
