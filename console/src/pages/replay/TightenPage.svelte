<script lang="ts">
  // How strict a limit can be: how many each choice of it would have hit, drawn; what is picked goes into a draft.
  import { onDestroy } from 'svelte';
  import { push, router } from 'svelte-spa-router';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import Sentence from '../../lib/parts/Sentence.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { count, number } from '../../lib/format';
  import { session } from '../../lib/state/session.svelte';
  import CurveChart from './CurveChart.svelte';
  import { nameOf, Tightened } from './tighten.svelte';

  const asked = Object.fromEntries(new URLSearchParams(router.querystring ?? ''));
  const draft = asked.draft ?? '';
  const tightened = new Tightened(draft);
  onDestroy(() => tightened.leave());
  let limit = $state(asked.limit ?? '');
  let since = $state(asked.since ?? '14d');
  let where = $state(asked.where ?? '');
  let choices = $state('');
  let fewer = $state(5);
  const writes = $derived(session.info !== null && session.info.role !== 'viewer');

  function start(event?: SubmitEvent): void {
    event?.preventDefault();
    if (!limit) return;
    history.replaceState(history.state, '', `#/tighten?${new URLSearchParams({ draft, limit, since, where }).toString()}`);
    const wanted = choices.split(',').map((each) => each.trim()).filter(Boolean);
    void tightened.start({ limit, since, where, choices: wanted, fewer_than: fewer });
  }
  void (async () => {
    if (!(await tightened.read())) return;
    // Of an object, its first one.
    const found = tightened.ordered.find((each) => each.address === limit) ?? tightened.ordered.find((each) => each.path === asked.of) ?? tightened.ordered[0];
    limit = found?.address ?? '';
    if (asked.limit || asked.of) start();
  })();

  async function put(): Promise<void> {
    const path = tightened.result?.limit.path;
    const name = await tightened.put();
    if (name) void push(`/drafts/${name}/${path}`);
  }
  const result = $derived(tightened.result);
  const chosen = $derived(tightened.choice);
  const percent = $derived(tightened.job?.total ? Math.min(100, Math.round((tightened.job.done * 100) / tightened.job.total)) : 0);
</script>

<Heading place={draft ? `How strict · draft ${draft}` : 'How strict'}>
  <span aria-live="polite">{#if result}<Sentence pieces={result.sentence} />{:else if tightened.busy}Trying each choice on the log …{:else if tightened.job?.state === 'cancelled'}Cancelled.{:else}How strict can it be?{/if}</span>
  {#snippet aside()}{#if draft}<a class="action" href="#/drafts/{draft}">Back to the draft</a>{/if}{/snippet}
</Heading>

{#if tightened.list && !tightened.list.items.length}
  <p class="text-muted">This rulebook has no limits that could be moved: no least version, age, distance or level of risk.</p>
{:else if tightened.list}
  <form class="mb-5 flex flex-wrap items-end gap-x-4 gap-y-2 text-small" onsubmit={start}>
    <label class="min-w-64 grow">Limit
      <select class="field" bind:value={limit}>
        {#each tightened.ordered as each (each.address)}
          <option value={each.address}>{each.title}: {each.words}{tightened.list.changed?.includes(each.address) ? ' (changed here)' : ''}</option>
        {/each}
      </select></label>
    <label>Sign-ins since<input class="field block w-24" bind:value={since} placeholder="14d" /></label>
    <label>Only where<input class="field font-mono" bind:value={where} placeholder="such as app.id is manifest" autocomplete="off" spellcheck="false" /></label>
    <label>Choices<input class="field" bind:value={choices} placeholder="those that differ" autocomplete="off" spellcheck="false" /></label>
    <label>For fewer people than<input class="field block w-20" type="number" min="1" max="1000000" bind:value={fewer} /></label>
    <button class="action" disabled={tightened.busy}>Try them</button>
    {#if tightened.busy}
      <span class="flex items-center gap-2"><progress max="100" value={percent} aria-label="How far it is"></progress>{percent}% <button type="button" class="action" onclick={() => tightened.cancel()}>Cancel</button></span>
    {/if}
  </form>
{/if}

{#if tightened.problem}
  <Failing problem={tightened.problem} />
{/if}
{#if result}
  <p class="mb-2 text-small text-muted">
    <span class="font-mono">{result.limit.words}</span> in {result.limit.title}, under {result.under}, on {count(result.attempts, 'sign-in')}.
    {#if result.counted.length}Counted as if enforced: {result.counted.join(', ')}.{/if}
  </p>
  <CurveChart choices={result.choices} picked={tightened.picked} pick={(value) => (tightened.picked = value)} fewerThan={result.fewer_than} />
  {#if chosen}
    <div class="mt-5 border-t-2 border-ink pt-3" aria-live="polite">
      <h2 class="text-lead font-semibold">{chosen.value}{chosen.current ? ', as it is' : ''}</h2>
      <p class="mb-2">
        {#if chosen.hit.count}{count(chosen.hit.people, 'person', 'people')} with {count(chosen.hit.devices, 'device')} would have been hit in {count(chosen.hit.count, 'sign-in')}: {number(chosen.stopped.count)} stopped, {number(chosen.asked.count)} asked for more.{:else}Nobody would have been hit.{/if}
      </p>
      {#if !chosen.current && writes}<button class="action" onclick={put}>{draft ? `Put ${chosen.value} into the draft` : `Begin the draft ${nameOf(result.limit, chosen.value)} with it`}</button>{/if}
      {#if draft && chosen.current}<a class="action" href="#/replay?draft={draft}">Whom it hits</a>{/if}
    </div>
  {/if}
{:else if tightened.busy || (!tightened.list && !tightened.problem)}
  <Waiting lines={6} />
{/if}
