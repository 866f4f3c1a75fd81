<script lang="ts">
  // Facts on the left, the answer on the right, changing as one types. The address holds the facts.
  import { untrack } from 'svelte';
  import { router } from 'svelte-spa-router';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import Mark from '../../lib/parts/Mark.svelte';
  import Needs from '../../lib/parts/Needs.svelte';
  import Remedies from '../../lib/parts/Remedies.svelte';
  import Sentence from '../../lib/parts/Sentence.svelte';
  import { session } from '../../lib/state/session.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import CasesBox from './CasesBox.svelte';
  import FactField from './fields/FactField.svelte';
  import KeepBox from './KeepBox.svelte';
  import MatrixBox from './MatrixBox.svelte';
  import Parts from './Parts.svelte';
  import PersonBox from './PersonBox.svelte';
  import StartHere from './StartHere.svelte';
  import type { FactView } from '../../lib/api/types';
  import { GROUPS, Rehearsing } from './rehearse.svelte';

  let rehearsing = $state.raw(new Rehearsing(router.querystring ?? ''));

  /** Another rehearsal was opened from this page: the router stays on it, so it has to be begun here. */
  function opened(): void {
    const [path, query = ''] = location.hash.slice(1).split('?');
    if (path === '/rehearse' && query !== rehearsing.querystring) rehearsing = new Rehearsing(query);
  }
  let all = $state(false);
  // Those that matter, in the order in which they do; the others are folded.
  const first = $derived(rehearsing.shown);
  const shown = $derived((rehearsing.facts.value?.items ?? []).filter((fact) => all && !first.includes(fact.name)));
  const leading = $derived(first.flatMap((name) => rehearsing.facts.value?.items.find((fact) => fact.name === name) ?? []));
  const groups = $derived(
    GROUPS.map(([key, word], i) => ({
      key,
      word,
      facts: shown.filter((fact) => GROUPS.findIndex(([, , holds]) => holds(fact.name)) === i),
    })),
  );
  const answer = $derived(rehearsing.answer);
  const besideLink = $derived(new URLSearchParams({ left: rehearsing.querystring, right: rehearsing.querystring }).toString());
  const author = $derived(['author', 'publisher', 'operator'].includes(session.info?.role ?? ''));
  const onlyFacts = $derived(answer.problem?.code === 'bad-attempt');

  $effect(() => {
    const text = rehearsing.querystring;
    // The router need not hear of it: the page already shows these facts.
    untrack(() => history.replaceState(history.state, '', `#/rehearse${text ? `?${text}` : ''}`));
  });

  async function focusFact(name: string): Promise<void> {
    if (!first.includes(name)) all = true;
    await Promise.resolve();
    requestAnimationFrame(() => document.getElementById(`fact-${name}`)?.focus());
  }
</script>

<svelte:window onhashchange={opened} />
{#snippet field(fact: FactView, known: string)}
  {#if rehearsing.facts.value}
    <div onfocusin={() => (rehearsing.held = fact.name)} onfocusout={() => (rehearsing.held = '')}>
      <FactField
        {fact}
        facts={rehearsing.facts.value}
        {known}
        person={rehearsing.given['person.id'] ?? ''}
        value={rehearsing.given[fact.name] ?? ''}
        wrong={rehearsing.wrong(fact.name)}
        set={(value) => rehearsing.set(fact.name, value)}
        setMany={(values) => rehearsing.setMany(values)}
      />
    </div>
  {/if}
{/snippet}
<Heading place={rehearsing.draft ? `Rehearse · draft ${rehearsing.draft}` : rehearsing.revision ? `Rehearse · revision ${rehearsing.revision}` : 'Rehearse'}>
  {#if !rehearsing.begun}
    What can happen to whom, at which app?
  {:else if answer.value && !answer.problem}
    <span class="mb-1 flex flex-wrap gap-x-4 text-lead" aria-live="polite">{#each answer.value.cases.possible as outcome (outcome)}<Mark value={outcome} size={15} />{/each}</span>
    <Sentence pieces={answer.value.cases.sentence} />
  {:else if onlyFacts}
    <span aria-live="polite">Some facts cannot be read: see below.</span>
  {:else}
    Decide a sign-in that did not happen.
  {/if}
  {#snippet aside()}
    {#if rehearsing.draft}<a class="action" href="#/drafts/{rehearsing.draft}">Back to the draft</a>{/if}
    {#if rehearsing.begun}<a class="action" href="#/beside?{besideLink}">Beside another</a>{/if}
    <a class="action" href="#/first-device{rehearsing.querystring ? `?${rehearsing.querystring}` : ''}">First device</a>
    <button class="action" onclick={() => rehearsing.clear()}>Start over</button>
  {/snippet}
</Heading>

<div class="grid gap-x-10 gap-y-8 lg:grid-cols-[25rem_minmax(0,1fr)]">
  <section aria-label="Facts">
    {#if rehearsing.facts.problem && rehearsing.facts.problem.code === answer.problem?.code}
      <p class="text-muted">The facts that can be given are shown here once there is a rulebook.</p>
    {:else if rehearsing.facts.problem}
      <Failing problem={rehearsing.facts.problem} />
    {:else if !rehearsing.facts.value}
      <Waiting lines={12} />
    {/if}
    {#if leading.length}
      <fieldset class="mb-4">
        <legend class="mb-1 w-full border-b border-rule text-small font-semibold">{rehearsing.begun ? 'Given, and what it turns on' : 'Who and what'}</legend>
        {#each leading as fact (fact.name)}
          {@render field(fact, rehearsing.known(fact.name))}
        {/each}
      </fieldset>
      <button class="mb-4 text-small text-accent underline underline-offset-3" aria-expanded={all} onclick={() => (all = !all)}>{all ? 'Fold the other facts' : 'Other facts'}</button>
    {/if}
    {#each groups as group (group.key)}
      {#if group.facts.length}
        <fieldset class="mb-4">
          <legend class="mb-1 w-full border-b border-rule text-small font-semibold">{group.word}</legend>
          {#each group.facts as fact (fact.name)}
            {@render field(fact, '')}
          {/each}
        </fieldset>
      {/if}
    {/each}
  </section>
  <section aria-label="Answer" class="min-w-0" class:opacity-60={answer.busy && !answer.value}>
    {#if answer.problem && !onlyFacts}
      <Failing problem={answer.problem} again={() => rehearsing.ask()} />
    {:else if onlyFacts && answer.problem}
      <ul class="border-l-4 border-blocked bg-blocked-soft px-4 py-2">
        {#each answer.problem.errors ?? [] as found, i (i)}
          <li>{found.message}{#if found.hint}&nbsp;— {found.hint}{/if}</li>
        {/each}
      </ul>
    {:else if !rehearsing.begun}
      <StartHere draft={rehearsing.draft} />
    {:else if answer.value}
      {#each answer.value.remarks as remark, i (i)}
        <p class="mb-3 border-l-4 border-challenged bg-challenged-soft px-4 py-2">{remark}</p>
      {/each}
      {#if !answer.value.cases.settled}
        <CasesBox cases={answer.value.cases} given={rehearsing.given} draft={rehearsing.draft} onfact={focusFact} />
      {:else}
        <Needs decision={answer.value.decision} onfact={focusFact} />
      {/if}
      {#if rehearsing.facts.value && author}
        <KeepBox draft={rehearsing.draft} given={rehearsing.given} facts={rehearsing.facts.value.items} possible={answer.value.cases.possible} upToDate={rehearsing.upToDate} />
      {/if}
      {#if answer.value.cases.settled}<Remedies remedies={answer.value.remedies} decision={answer.value.decision} />{/if}
      {#if answer.value.person}<PersonBox person={answer.value.person} />{/if}
      {#if rehearsing.facts.value}
        <MatrixBox facts={rehearsing.facts.value.items} given={rehearsing.given} draft={rehearsing.draft} matters={answer.value.cases.matters} />
      {/if}
      <Parts answer={answer.value} />
    {:else}
      <Waiting />
    {/if}
  </section>
</div>
