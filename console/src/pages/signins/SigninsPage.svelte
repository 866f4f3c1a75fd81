<script lang="ts">
  // The log: how many came out how, day by day, and the rows; every filter is part of the address.
  import X from '@lucide/svelte/icons/x';
  import { push, replace, router } from 'svelte-spa-router';
  import { api } from '../../lib/api/client';
  import type { SigninPage, SigninSummary } from '../../lib/api/types';
  import { count, number } from '../../lib/format';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import Mark from '../../lib/parts/Mark.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import DayChart from './DayChart.svelte';
  import FilterBox from './FilterBox.svelte';
  import { address, FILTERS, query, read } from './filters';
  import SigninTable from './SigninTable.svelte';

  // Kinds of sign-in that are looked at apart.
  const KINDS: Record<string, Record<string, string>> = {
    Interactive: { flow: 'interactive' },
    'Other flows': { flow: 'device-code,handoff,password-grant,refresh' },
    'Wrong credentials': { credentials: 'wrong' },
    'Right credentials': { credentials: 'right' },
  };
  const isKind = (name: string, value: string) => Object.values(KINDS).some((change) => change[name] === value);
  const page = new Load<SigninPage>();
  const more = new Load<SigninPage>();
  let older = $state<SigninSummary[]>([]);
  let next = $state<string | null>(null);
  const filters = $derived(read(router.querystring));
  const narrow = (name: string, value: string) => address(filters, { [name]: value });

  function load(): void {
    void page.run((signal) => api.signins(filters, signal)).then(() => (next = page.value?.next ?? null));
  }
  $effect(() => {
    older = [];
    load();
  });

  async function loadOlder(): Promise<void> {
    await more.run((signal) => api.signins({ ...filters, after: next ?? '' }, signal));
    if (!more.value || more.problem) return;
    older = [...older, ...more.value.items];
    next = more.value.next;
  }

  function find(event: SubmitEvent & { currentTarget: HTMLFormElement }): void {
    event.preventDefault();
    const text = String(new FormData(event.currentTarget).get('find') ?? '').trim();
    if (!text) return;
    if (/^(s-\d+|[0-9a-z]{5}-?[0-9a-z]{5})$/i.test(text) && !text.includes('.')) void push(`/signins/${encodeURIComponent(text)}`);
    else void push(narrow('person', text));
  }

  const dayAfter = (day: string) => new Date(Date.parse(day) + 86_400_000).toISOString().slice(0, 10);
  const shown = $derived([...(page.value?.items ?? []), ...older]);
  const outcomes = $derived(
    ['blocked', 'challenged', 'allowed']
      .map((outcome) => [page.value?.counts[outcome] ?? 0, outcome] as const)
      .filter(([howMany]) => howMany)
      .map(([howMany, outcome]) => (howMany === total ? outcome : `${number(howMany)} ${outcome}`)),
  );
  const total = $derived(Object.values(page.value?.counts ?? {}).reduce((sum, value) => sum + value, 0));
</script>

<Heading place="Sign-ins">
  {#if page.value}
    {#if total}
      {count(total, 'sign-in')}: {outcomes.join(', ')}.
    {:else if Object.keys(filters).length}
      No sign-in matches these filters.
    {:else}
      No sign-ins have been taken in yet.
    {/if}
  {:else if page.problem?.code === 'bad-filter'}The condition cannot be read.
  {:else if page.problem}The sign-ins could not be loaded.{:else}Loading the sign-ins …{/if}
  {#snippet aside()}
    <form onsubmit={find}>
      <input
        data-search
        name="find"
        class="field w-64!"
        type="search"
        placeholder="A person's id, or a reference  ( / )"
        aria-label="A person's id, or a reference"
        onkeydown={(event) => event.key === 'Escape' && event.currentTarget.blur()}
      />
    </form>
  {/snippet}
</Heading>

<div class="mb-3 flex flex-wrap items-center gap-2" hidden={page.value !== null && !total && !Object.keys(filters).length}>
  {#each ['blocked', 'challenged', 'allowed'] as outcome (outcome)}
    {@const on = filters['outcome'] === outcome}
    <button class="action" aria-pressed={on} onclick={() => push(narrow('outcome', on ? '' : outcome))}><Mark value={outcome} /></button>
  {/each}
  <button
    class="action"
    aria-pressed={filters['shadow_together'] === 'blocked' && filters['outcome'] === 'allowed'}
    onclick={() =>
      push(filters['shadow_together'] ? address(filters, { shadow_together: '', outcome: '' }) : address(filters, { shadow_together: 'blocked', outcome: 'allowed' }))}
    >Shadow policies would block</button
  >
  <span class="w-3"></span>
  {#each Object.entries(KINDS) as [word, change] (word)}
    {@const on = Object.entries(change).every(([name, value]) => filters[name] === value)}
    <button
      class="action"
      aria-pressed={on}
      onclick={() => push(address(filters, on ? Object.fromEntries(Object.keys(change).map((name) => [name, ''])) : change))}>{word}</button
    >
  {/each}
  {#each Object.entries(filters).filter(([name, value]) => !['outcome', 'shadow_together', 'where'].includes(name) && !isKind(name, value)) as [name, value] (name)}
    <span class="inline-flex items-center gap-1.5 border border-rule-strong py-0.5 pr-1 pl-2.5 text-small">
      <span class="text-muted">{FILTERS[name]}</span>{value}
      <button class="p-0.5 text-accent" aria-label="Take away {FILTERS[name]} {value}" onclick={() => replace(narrow(name, ''))}>
        <X size={14} aria-hidden="true" />
      </button>
    </span>
  {/each}
  {#if Object.keys(filters).length}<a class="text-small" href="#/signins">All sign-ins</a>{/if}
  <a class="ml-auto text-small" href="#/causes{query({ ...filters, outcome: '' })}">Causes of these</a>
</div>

<FilterBox where={filters['where'] ?? ''} problem={page.problem} apply={(where) => push(narrow('where', where))} />
{#if page.problem?.code === 'bad-filter'}
  <p class="text-muted">The list is shown again when the condition can be read.</p>
{:else if page.problem}
  <Failing problem={page.problem} again={load} />
{:else if !page.value}
  <Waiting lines={16} />
{:else if total}
  <div class="mb-4" class:opacity-60={page.busy}>
    <DayChart days={page.value.days} href={(day) => `#${address(filters, { since: day, until: dayAfter(day) })}`} />
  </div>
  <div class:opacity-60={page.busy}><SigninTable items={shown} {narrow} /></div>
  <p class="mt-3 flex items-center gap-3 text-small text-muted">
    {number(shown.length)} of {number(total)} shown.
    {#if next}<button class="action" onclick={loadOlder} disabled={more.busy}>{more.busy ? 'Loading …' : 'Show older'}</button>{/if}
  </p>
  {#if more.problem}<Failing problem={more.problem} again={loadOlder} />{/if}
{:else if Object.keys(filters).length}
  <p>Take a filter away, or look at <a href="#/signins">all sign-ins</a>.</p>
{:else}
  <p>Here will be the sign-ins of your systems, each with what decided it. Take a log in from the command line:</p>
  <pre class="mt-3 bg-sunk p-3 font-mono text-small">caddrel signins import signins.ndjson</pre>
{/if}
