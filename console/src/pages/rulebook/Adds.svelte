<script lang="ts">
  // What one policy adds: the rulebook compared in meaning with the same without it; and what in it does nothing.
  import { push } from 'svelte-spa-router';
  import { api } from '../../lib/api/client';
  import { proofs } from '../../lib/api/proofs';
  import type { IdleResult, IdleThing, MeaningResult } from '../../lib/api/types';
  import Changes from '../../lib/parts/Changes.svelte';
  import Failing from '../../lib/parts/Failing.svelte';
  import IdleList from '../../lib/parts/IdleList.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { Act } from '../../lib/state/act.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import { session } from '../../lib/state/session.svelte';

  let { policy, enforced }: { policy: string; enforced: boolean } = $props();
  const adds = new Load<MeaningResult>();
  const idle = new Load<IdleResult>();
  const meaning = $derived(adds.value?.meaning);
  const nothing = $derived((idle.value?.items ?? []).filter((each) => each.policy === policy && each.rule));
  const may = $derived(['author', 'publisher', 'operator'].includes(session.info?.role ?? ''));
  const acting = new Act();
  $effect(() => () => {
    adds.leave();
    idle.leave();
  });
  async function takeOut(item: IdleThing): Promise<void> {
    await acting.run(async () => {
      if (!item.change) return;
      const name = `tidy-${policy}`.slice(0, 60);
      const whole = await api.beginDraft(name);
      await api.putObject(name, whole.info.version, item.change.path, item.change.text);
      void push(`/drafts/${name}${item.change.text === null ? '' : `/${item.change.path}`}`);
    });
  }
  async function tell(): Promise<void> {
    await adds.run((signal) => proofs.adds(policy, signal));
    await idle.run((signal) => proofs.idle({}, signal));
  }
</script>

<section class="border-t border-rule py-3" aria-label="What it adds" aria-live="polite">
  <h2 class="mb-1 text-lead font-semibold">What it adds</h2>
  {#if adds.problem}<Failing problem={adds.problem} />
  {:else if adds.busy}<Waiting lines={3} />
  {:else if meaning}
    <Changes {meaning} />
    {#if idle.problem}<Failing problem={idle.problem} />{/if}
    {#if acting.refused}<Failing problem={acting.refused} />{/if}
    {#if nothing.length}
      <h3 class="eyebrow mt-3">Does nothing in it</h3>
      <IdleList items={nothing} takeOut={may ? (item) => void takeOut(item) : undefined} />
    {/if}
  {:else}
    <p class="text-small text-muted">The rulebook against the same without it{enforced ? '' : ', as if it were enforced'}.
      <button class="action ml-2" onclick={tell}>Tell what it adds</button></p>
  {/if}
</section>
