<script lang="ts">
  // Whom a draft would hit: the log decided again under it, from outcome to outcome, by rule, person and sign-in.
  import { onDestroy, untrack } from 'svelte';
  import { router } from 'svelte-spa-router';
  import type { Share } from '../../lib/api/types';
  import { count, linkTo, moment, number } from '../../lib/format';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import Mark from '../../lib/parts/Mark.svelte';
  import Sentence from '../../lib/parts/Sentence.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { CSV, csv } from '../../lib/csv';
  import { save } from '../../lib/download';
  import Flows from './Flows.svelte';
  import { MOST_LISTED, Replaying } from './replay.svelte';
  import TellBox from './TellBox.svelte';

  const asked = Object.fromEntries(new URLSearchParams(router.querystring ?? ''));
  const draft = asked.draft ?? '';
  let since = $state(asked.since ?? '7d');
  let where = $state(asked.where ?? '');
  let against = $state(asked.against ?? 'recorded');
  let inventory = $state(asked.inventory ?? 'then');
  let search = $state('');
  let telling = $state(false);
  const replaying = new Replaying();
  onDestroy(() => replaying.leave());

  function start(event?: SubmitEvent): void {
    event?.preventDefault();
    const query = new URLSearchParams({ draft, since, where, against, inventory });
    untrack(() => history.replaceState(history.state, '', `#/replay?${query.toString()}`));
    void replaying.start({ under: { draft }, rulebook: against === 'current' ? {} : null, since, where, inventory });
  }
  // What is kept is shown as it is; else it is replayed at once.
  void (async () => {
    if (asked.since || !(draft && (await replaying.kept(draft)))) start();
  })();

  const result = $derived(replaying.result);
  const people = $derived((result?.hit ?? []).filter((each) => !search || `${each.title} ${each.person}`.toLowerCase().includes(search.toLowerCase())));
  const percent = $derived(replaying.job?.total ? Math.min(100, Math.round((replaying.job.done * 100) / replaying.job.total)) : 0);

  const called = (kind: string, id: string) => result?.titles?.[kind]?.[id] ?? id;
  const MOST_SHARES = 8;
  const most = (shares: Share[]) => Math.max(1, ...shares.map((share) => share.count));

  function list(): void {
    const rows = people.map((each) => [each.person, each.title, String((each.flows ?? []).reduce((sum, flow) => sum + (flow.count ?? 0), 0)), each.last, each.devices.join(' '), each.needs.join(' ')]);
    save(`whom-to-tell-${draft || 'current'}.csv`, CSV, csv(['person', 'name', 'sign-ins', 'last', 'devices', 'needs'], rows));
  }
</script>

<Heading place={draft ? `Replay · draft ${draft}` : 'Replay'}>
  <span aria-live="polite">
    {#if result}<Sentence pieces={result.sentence} />{:else if replaying.busy}Deciding the log again …{:else if replaying.job?.state === 'cancelled'}Cancelled.{:else}Whom would it hit?{/if}
  </span>
  {#snippet aside()}<a class="action" href="#/tighten?draft={draft}">How strict can it be?</a>{#if draft}<a class="action" href="#/drafts/{draft}">Back to the draft</a>{/if}{/snippet}
</Heading>

<form class="mb-5 flex flex-wrap items-end gap-x-4 gap-y-2 text-small" onsubmit={start}>
  <label>Sign-ins since<input class="field block w-28" bind:value={since} placeholder="7d" /></label>
  <label class="grow">Only where<input class="field font-mono" bind:value={where} placeholder="such as app.id is manifest" autocomplete="off" spellcheck="false" /></label>
  <label>Against<select class="field" bind:value={against}><option value="recorded">what was recorded</option><option value="current">the current rulebook</option></select></label>
  <label>People and devices<select class="field" bind:value={inventory}><option value="then">as they were</option><option value="now">as they are now</option></select></label>
  <button class="action" disabled={replaying.busy}>Replay</button>
  {#if replaying.busy}
    <span class="flex items-center gap-2"><progress max="100" value={percent} aria-label="How far it is"></progress>{percent}% <button type="button" class="action" onclick={() => replaying.cancel()}>Cancel</button></span>
  {/if}
</form>

{#if replaying.problem}
  <Failing problem={replaying.problem} again={() => start()} />
{:else if result}
  {#if replaying.stale}<p class="mb-4 border-l-4 border-challenged bg-challenged-soft px-4 py-2">The draft has changed since: this is of its version {result.version}. <button class="action" onclick={() => start()}>Replay it as it is now</button></p>{/if}
  <p class="mb-4 text-small text-muted">
    {count(result.attempts, 'sign-in')} of {count(result.people, 'person', 'people')} under {result.under}, against {result.rulebook}.
    {#if result.undetermined}{number(result.undetermined)} are not certain{#if result.lacking.length}, for want of <span class="font-mono">{result.lacking.slice(0, 4).join(', ')}</span>{/if}.{/if}
    {#if result.meaning}{number(result.meaning)} were recorded otherwise only because decisions meant something else then.{/if}
  </p>
  <Flows flows={result.flows} />
  {#if result.because.length}
    <h2 class="mt-6 mb-1 border-t-2 border-ink pt-3 text-lead font-semibold">Because of</h2>
    <table class="ruled">
      <thead><tr><th>Rule</th><th>From</th><th>To</th><th class="text-right!">Sign-ins</th><th class="text-right!">People</th></tr></thead>
      <tbody>
        {#each result.because as each, i (i)}
          <tr><td><a href={draft ? `#/drafts/${draft}/policies.${each.policy}` : linkTo('policy', each.policy ?? '')}>{called('policy', each.policy ?? '')}</a> <span class="text-muted">/ {each.rule}</span></td>
            <td><Mark value={each.from} size={10} /></td><td><Mark value={each.to} size={10} /></td><td class="text-right! tabular-nums">{number(each.count ?? 0)}</td><td class="text-right! tabular-nums">{number(each.people ?? 0)}</td></tr>
        {/each}
      </tbody>
    </table>
  {/if}
  {#if result.changed.count}
    <div class="mt-6 grid gap-x-8 gap-y-4 border-t-2 border-ink pt-3 sm:grid-cols-2 lg:grid-cols-3">
      {#each Object.entries(result.by) as [kind, shares] (kind)}
        <section aria-label="By {kind}">
          <h2 class="text-small font-semibold">By {kind}</h2>
          <ul class="text-small">
            {#each shares.slice(0, MOST_SHARES) as share (share.name)}
              <li class="grid grid-cols-[minmax(0,1fr)_4rem] items-center gap-2 py-0.5" title={count(share.people, 'person', 'people')}>
                <span class="relative truncate"><span class="absolute inset-y-0 left-0 bg-sunk" style:width="{(share.count * 100) / most(shares)}%"></span><span class="relative px-1">{called(kind, share.name)}</span></span>
                <span class="text-right tabular-nums">{number(share.count)}</span>
              </li>
            {/each}
            {#if shares.length > MOST_SHARES}<li class="text-fine text-muted">and {number(shares.length - MOST_SHARES)} more</li>{/if}
          </ul>
        </section>
      {/each}
    </div>
  {/if}
  {#if result.hit.length}
    <div class="mt-6 mb-1 flex flex-wrap items-baseline gap-x-6 gap-y-1 border-t-2 border-ink pt-3">
      <h2 class="text-lead font-semibold">Whom it hits</h2>
      <label class="text-small"><span class="sr-only">Search</span><input class="field w-48" bind:value={search} placeholder="a name" /></label>
      <button class="action" onclick={list}>The list, as CSV</button>
      <button class="action" aria-expanded={telling} onclick={() => (telling = !telling)}>What to tell them</button>
    </div>
    {#if telling && people.length}<TellBox job={replaying.of} people={people} name={draft || 'current'} />{/if}
    <!-- svelte-ignore a11y_no_noninteractive_tabindex: a region that scrolls must be reachable by keyboard -->
    <div class="overflow-x-auto" tabindex="0" role="region" aria-label="Whom it hits">
      <table class="ruled">
        <thead><tr><th>Person</th><th>What changes</th><th>Last</th><th>Devices</th><th>What they need</th></tr></thead>
        <tbody>
          {#each people.slice(0, MOST_LISTED) as person (person.person)}
            <tr>
              <td><a href="#/signins?person={encodeURIComponent(person.person)}">{person.title}</a></td>
              <td class="whitespace-nowrap">{#each person.flows as flow, i (i)}<span class="block">{flow.count} × <Mark value={flow.from} size={9} /> to <Mark value={flow.to} size={9} /></span>{/each}</td>
              <td class="whitespace-nowrap">{moment(person.last)}</td>
              <td class="font-mono text-fine">{person.devices.join(', ')}</td>
              <td>{#each person.needs as need, i (i)}<span class="block">{need}</span>{/each}</td>
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
    {#if people.length > MOST_LISTED}<p class="text-small text-muted">{number(people.length - MOST_LISTED)} more are in the list.</p>{/if}
  {/if}
  {#if replaying.changed.length}
    <h2 class="mt-6 mb-1 border-t-2 border-ink pt-3 text-lead font-semibold">The sign-ins{result.changed.count > replaying.changed.length ? `, the first ${replaying.changed.length}` : ''}</h2>
    <table class="ruled">
      <thead><tr><th>Sign-in</th><th>Person</th><th>Device</th><th>Was</th><th>Would be</th><th>Because of</th></tr></thead>
      <tbody>
        {#each replaying.changed as each (each.id)}
          <tr><td><a class="font-mono text-fine" href="#/signins/{encodeURIComponent(each.id)}">{each.id}</a></td><td>{each.person ?? ''}</td><td class="font-mono text-fine">{each.device ?? ''}</td>
            <td><Mark value={each.from} size={10} /></td><td><Mark value={each.to} size={10} /></td><td class="text-small text-muted">{each.because.map((ref) => `${called('policy', ref.policy)} / ${ref.rule}`).join(', ')}</td></tr>
        {/each}
      </tbody>
    </table>
  {/if}
{:else if replaying.busy}
  <Waiting lines={8} />
{/if}
