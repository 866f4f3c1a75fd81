<script lang="ts">
  // One sign-in, read top to bottom: the sentence, what to do, the deciding rule, then everything else.
  import { api } from '../../lib/api/client';
  import type { SigninTrace } from '../../lib/api/types';
  import { moment, typed } from '../../lib/format';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import Mark from '../../lib/parts/Mark.svelte';
  import Needs from '../../lib/parts/Needs.svelte';
  import Policies from '../../lib/parts/Policies.svelte';
  import Remedies from '../../lib/parts/Remedies.svelte';
  import Sentence from '../../lib/parts/Sentence.svelte';
  import Shape from '../../lib/parts/Shape.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import Around from './Around.svelte';
  import FactTable from './FactTable.svelte';
  import Requirements from './Requirements.svelte';
  import { rehearsalOf } from './rehearsal';

  let { params }: { params: { id: string } } = $props();
  const trace = new Load<SigninTrace>();
  const ENDED: Record<string, string> = { 'decided again': 'it was decided again', idle: 'it was idle', 'too old': 'it was too old' };
  const load = () => void trace.run(() => api.trace(params.id));
  $effect(load);
</script>

{#if trace.problem}
  <Heading place="Trace">This sign-in cannot be traced.</Heading>
  <Failing problem={trace.problem} again={load} />
{:else if trace.value}
  {@const it = trace.value}
  {@const at = it.summary}
  <Heading place="Trace · {at.id} · quoted as {at.reference}">
    <span class="mb-1 block text-lead"><Mark value={it.decision.outcome} size={15} /></span>
    <Sentence pieces={it.sentence} />
    {#snippet aside()}
      <a class="action" href={rehearsalOf(it)}>Rehearse it with changes</a>
    {/snippet}
  </Heading>
  <dl class="mb-6 flex flex-wrap gap-x-8 gap-y-2 text-small">
    {#snippet item(word: string, text: string, href = '')}
      <div><dt class="eyebrow">{word}</dt><dd>{#if href}<a {href}>{text}</a>{:else}{text}{/if}</dd></div>
    {/snippet}
    {@render item('When (UTC)', moment(at.at))}
    {@render item('Person', it.person_title || at.person || 'not named', at.person ? `#/signins?person=${at.person}` : '')}
    {@render item('App', it.app_title || at.app || 'not named', at.app ? `#/signins?app=${at.app}` : '')}
    {@render item('From', [at.address, at.country].filter(Boolean).join(' ') || 'not known')}
    {@render item('Device', it.device_title || at.device || at.owner || 'none named', at.device ? `#/signins?device=${at.device}` : '')}
    {@render item('Credentials', at.credentials ?? 'not reported')}
    {@render item('The other system recorded', [at.recorded_outcome, at.recorded_reason].filter(Boolean).join(', ') || 'nothing')}
    {@render item('Decided under', `revision ${it.revision.number}${it.revision.current ? ', current' : ''}`)}
  </dl>
  {#if !it.same}
    <p class="mb-4 border-l-4 border-challenged bg-challenged-soft px-4 py-2">Recomputing gives another outcome than was recorded.</p>
  {/if}
  {#if it.session}
    {@const since = it.session}
    <p class="mb-4 border-l-4 px-4 py-2 {since.ended ? 'border-blocked bg-blocked-soft' : since.asks?.length || since.held ? 'border-challenged bg-challenged-soft' : 'border-rule bg-sunk'}" aria-label="The session since">
      {#if since.ended}Its session is over since {moment(since.ended)} UTC: {ENDED[since.by ?? ''] ?? `ended by ${since.by}`}.
      {:else}Its session is on since {moment(since.started)} UTC{since.asks?.length ? `; the next request will be asked for ${since.asks.join(', ')}` : ''}.{/if}
      {#if since.because}<span class="block text-small">Because: {since.because}</span>{/if}
      {#if since.held}<a class="block text-small" href="#/sessions">Held change {since.held} would end it</a>{/if}
    </p>
  {/if}
  <div class="grid gap-x-10 gap-y-6 xl:grid-cols-[minmax(0,1fr)_23rem]">
    <div class="min-w-0">
      {#if it.fixes.length}
        <h2 class="mb-1 text-lead font-semibold">Fixes</h2>
        <ul class="mb-5">
          {#each it.fixes as fix (fix.standard + fix.check)}
            <li class="flex gap-2 py-1">
              <span class="relative top-0.5 text-blocked"><Shape name={fix.truth} /></span>
              <span>
                {fix.fix || 'No fix is given.'}
                <span class="text-small text-muted"
                  >{fix.title}, a check of <a href="#/rulebook/standard/{fix.standard}">{it.trace.standards[fix.standard]?.title || fix.standard}</a></span
                >
              </span>
            </li>
          {/each}
        </ul>
      {/if}
      <Needs decision={it.decision} />
      <Remedies remedies={it.remedies} decision={it.decision} />
      {#if it.now}
        <h2 class="mt-6 mb-1 text-lead font-semibold">The same attempt now, under revision {it.now.revision}</h2>
        <p class="flex gap-3"><Mark value={it.now.decision.outcome} /><span><Sentence pieces={it.now.sentence} /></span></p>
        {#if it.now.changed.length}
          <p class="text-small text-muted">
            Changed since: {#each it.now.changed as piece, i (i)}{i ? ', ' : ''}<Sentence pieces={[piece]} />{/each}.
          </p>
        {/if}
      {/if}
      {#if it.since.length}
        <h2 class="mt-6 mb-1 text-lead font-semibold">Facts that would be otherwise today</h2>
        <ul class="text-small">
          {#each it.since as change (change.fact)}
            <li><span class="font-mono text-fine">{change.fact}</span> was {change.then ?? 'not known'}, is {change.now ?? 'not known'}</li>
          {/each}
        </ul>
      {/if}
      {#each Object.entries(it.drafts ?? {}) as [name, outcome] (name)}
        <p class="mt-3 text-small">The draft <a href="#/drafts/{name}">{name}</a>, in shadow then, would have made it <Mark value={outcome} size={10} />.</p>
      {/each}
      {#if Object.keys(it.not_believed ?? {}).length}
        <h2 class="mt-6 mb-1 text-lead font-semibold">Claimed by the door, and not believed</h2>
        <ul class="text-small">
          {#each Object.entries(it.not_believed ?? {}) as [fact, value] (fact)}
            <li><span class="font-mono text-fine">{fact}</span> {typed(value)}</li>
          {/each}
        </ul>
      {/if}
      {#if Object.keys(it.trace.not_understood ?? {}).length}
        <h2 class="mt-6 mb-1 text-lead font-semibold">Reported, and not understood</h2>
        <p class="text-small text-muted">These words are on no list, so the facts are not known; nothing was put in their place.</p>
        <ul class="text-small">
          {#each Object.entries(it.trace.not_understood ?? {}) as [fact, what] (fact)}
            <li><span class="font-mono text-fine">{fact}</span> {typed(what.said)} <span class="text-muted">· {what.origin}</span></li>
          {/each}
        </ul>
      {/if}
      {#if it.present}
        <div class="mt-6 border-l-4 border-accent bg-accent-soft px-4 py-2 text-small">
          <p>This was decided under meaning {it.meaning}, before decisions came to mean what they mean now. Then it was <Mark value={it.decision.outcome} size={10} />; by what they mean now it would be <Mark value={it.present.outcome} size={10} />. How, is below.</p>
        </div>
      {/if}
      <h2 class="mt-7 mb-2 border-t-2 border-ink pt-3 text-lead font-semibold">How it was decided</h2>
      <Policies trace={it.trace} decision={it.decision} />
      <Requirements requirements={it.trace.requirements} />
      <Around items={it.around} here={at.id} />
    </div>
    <aside class="min-w-0"><FactTable facts={it.trace.facts} /></aside>
  </div>
{:else}
  <Heading place="Trace">Tracing …</Heading>
  <Waiting lines={14} />
{/if}
