<script lang="ts">
  // The log: how many came out how, day by day, and the rows; every filter is part of the address.
  import Radio from '@lucide/svelte/icons/radio';
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
  import { session } from '../../lib/state/session.svelte';
  import { onDestroy, untrack } from 'svelte';
  import ColumnMenu from './ColumnMenu.svelte';
  import { chosen, keep } from './columns';
  import DayChart from './DayChart.svelte';
  import FilterBox from '../../lib/parts/FilterBox.svelte';
  import { filterWords } from './words';
  import { address, FILTERS, query, read } from './filters';
  import { Live } from './live.svelte';
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
  // Counted apart: the rows are there at once, however many there are.
  const counting = new Load<SigninPage>();
  const more = new Load<SigninPage>();
  let older = $state<SigninSummary[]>([]);
  let next = $state<string | null>(null);
  const filters = $derived(read(router.querystring));
  const columns = $derived(chosen(router.querystring));
  const shape = $derived(new URLSearchParams(router.querystring ?? '').get('columns') ?? '');
  const to = (change: Record<string, string>) => address({ ...filters, columns: shape }, change);
  const narrow = (name: string, value: string) => to({ [name]: value });

  function load(): void {
    void page.run((signal) => api.signins({ ...filters, counts: 'no' }, signal)).then(() => (next = page.value?.next ?? null));
    void counting.run((signal) => api.signins({ ...filters, limit: '1' }, signal));
  }
  const live = new Live();
  onDestroy(() => live.stop());
  function arrived(items: SigninSummary[], all: boolean): void {
    if (all || !page.value) load();
    else {
      page.value = { ...page.value, items: [...items, ...page.value.items] };
      void counting.run((signal) => api.signins({ ...filters, limit: '1' }, signal));
    }
  }
  // The same filters in another shape of the list are not asked again.
  const asked = $derived(JSON.stringify(filters));
  $effect(() => {
    if (!asked) return;
    older = [];
    untrack(load);
  });

  async function loadOlder(): Promise<void> {
    await more.run((signal) => api.signins({ ...filters, counts: 'no', after: next ?? '' }, signal));
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

  const between = (first: string, last: string) => to({ since: first, until: dayAfter(last) });
  const dayAfter = (day: string) => new Date(Date.parse(day) + 86_400_000).toISOString().slice(0, 10);
  const shown = $derived([...(page.value?.items ?? []), ...older]);
  const outcomes = $derived(
    ['blocked', 'challenged', 'allowed']
      .map((outcome) => [counts[outcome] ?? 0, outcome] as const)
      .filter(([howMany]) => howMany)
      .map(([howMany, outcome]) => (howMany === total ? outcome : `${number(howMany)} ${outcome}`)),
  );
  const counts = $derived(counting.value?.counts ?? {});
  const total = $derived(Object.values(counts).reduce((sum, value) => sum + value, 0));
  const days = $derived(counting.value?.days ?? []);
  const nothing = $derived(page.value !== null && !page.value.items.length);
</script>

<Heading place="Sign-ins">
  {#if page.problem?.code === 'bad-filter'}The condition cannot be read.
  {:else if page.problem?.code === 'unknown-word'}Nothing can match: {page.problem.title.replaceAll('`', '')}.
  {:else if page.problem}The sign-ins could not be loaded.
  {:else if page.value}
    {#if !nothing && counting.busy && !counting.value}
      Counting the sign-ins …
    {:else if !nothing}
      {count(total, 'sign-in')}: {outcomes.join(', ')}.
    {:else if Object.keys(filters).length}
      No sign-in matches these filters.
    {:else}
      No sign-ins have been taken in yet.
    {/if}
  {:else}Loading the sign-ins …{/if}
  {#snippet aside()}
    {#if session.info?.role === 'operator'}<a class="action" href="#/take-in">Take in a log</a>{/if}
    <button class="action" aria-pressed={live.on} onclick={() => live.toggle(() => filters, () => page.value?.items ?? [], arrived)}>
      <Radio size={14} aria-hidden="true" />{live.on ? 'Arriving live' : 'Live'}
    </button>
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

<div class="mb-3 flex flex-wrap items-center gap-2" hidden={nothing && !Object.keys(filters).length}>
  {#each ['blocked', 'challenged', 'allowed'] as outcome (outcome)}
    {@const on = filters['outcome'] === outcome}
    <button class="action" aria-pressed={on} onclick={() => push(narrow('outcome', on ? '' : outcome))}><Mark value={outcome} /></button>
  {/each}
  <button
    class="action"
    aria-pressed={filters['shadow_together'] === 'blocked' && filters['outcome'] === 'allowed'}
    onclick={() =>
      push(filters['shadow_together'] ? to({ shadow_together: '', outcome: '' }) : to({ shadow_together: 'blocked', outcome: 'allowed' }))}
    >Shadow policies would block</button
  >
  <span class="w-3"></span>
  {#each Object.entries(KINDS) as [word, change] (word)}
    {@const on = Object.entries(change).every(([name, value]) => filters[name] === value)}
    <button
      class="action"
      aria-pressed={on}
      onclick={() => push(to(on ? Object.fromEntries(Object.keys(change).map((name) => [name, ''])) : change))}>{word}</button
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
  <div class="ml-auto flex items-center gap-3">
    <ColumnMenu names={columns} set={(names) => replace(to({ columns: keep(names) }))} />
    <a class="text-small" href="#/causes{query({ ...filters, outcome: '' })}">Causes of these</a>
  </div>
</div>

<FilterBox where={filters['where'] ?? ''} problem={page.problem} apply={(where) => push(narrow('where', where))} words={filterWords} example="outcome is blocked and person.groups has crew" />
{#if page.problem?.code === 'bad-filter'}
  <p class="text-muted">The list is shown again when the condition can be read.</p>
{:else if page.problem}
  <Failing problem={page.problem} again={load} />
{:else if !page.value}
  <Waiting lines={16} />
{:else if !nothing}
  <div class="mb-4 min-h-24" class:opacity-60={counting.busy}>
    <DayChart {days} href={(first, last) => `#${between(first, last)}`} choose={(first, last) => push(between(first, last))} />
  </div>
  <div class:opacity-60={page.busy}><SigninTable items={shown} {columns} {narrow} fresh={live.fresh} /></div>
  <p class="mt-3 flex items-center gap-3 text-small text-muted">
    {number(shown.length)}{counting.value ? ` of ${number(Math.max(total, shown.length))}` : ''} shown.
    {#if next}<button class="action" onclick={loadOlder} disabled={more.busy}>{more.busy ? 'Loading …' : 'Show older'}</button>{/if}
  </p>
  {#if more.problem}<Failing problem={more.problem} again={loadOlder} />{/if}
{:else if Object.keys(filters).length}
  <p>Take a filter away, or look at <a href="#/signins">all sign-ins</a>.</p>
{:else}
  <p>Here will be the sign-ins of your systems, each with what decided it. Take a log in from the command line:</p>
  <pre class="mt-3 bg-sunk p-3 font-mono text-small">caddrel signins import signins.ndjson</pre>
{/if}
