<script lang="ts">
  // What blocks and challenges have in common: the sentence, how many, since when, and what would help all at once.
  import { push, router } from 'svelte-spa-router';
  import { api } from '../../lib/api/client';
  import type { CauseList } from '../../lib/api/types';
  import { count } from '../../lib/format';
  import { rows } from '../../lib/keys';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import Mark from '../../lib/parts/Mark.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import FilterBox from '../../lib/parts/FilterBox.svelte';
  import { filterWords } from '../signins/words';
  import { query, read } from '../signins/filters';
  import Cause from './Cause.svelte';

  const list = new Load<CauseList>();
  const filters = $derived(read(router.querystring));
  const WINDOWS = { '1d': 'last day', '7d': 'last 7 days', '30d': 'last 30 days', '': 'all time' };
  const since = $derived(filters['since'] ?? '');
  const address = (change: Record<string, string>) => `/causes${query({ ...filters, ...change })}`;
  const load = () => void list.run((signal) => api.causes(filters, signal));
  $effect(load);
  const fresh = $derived(list.value?.causes.filter((cause) => cause.new).length ?? 0);
</script>

<Heading place="Causes">
  {#if list.value}
    {#if list.value.count}
      {count(list.value.causes.length, 'cause')} of {count(list.value.count, 'block or challenge', 'blocks and challenges')};
      {count(list.value.people, 'person', 'people')} affected{fresh ? `, ${fresh} new in this time` : ''}.
    {:else}
      Nothing was blocked or challenged.
    {/if}
  {:else}
    {list.problem ? 'The causes cannot be shown.' : 'Looking for causes …'}
  {/if}
</Heading>

<div class="mb-4 flex flex-wrap items-center gap-2">
  {#each Object.entries(WINDOWS) as [value, word] (value)}
    <button class="action" aria-pressed={since === value} onclick={() => push(address({ since: value }))}>{word}</button>
  {/each}
  <span class="w-4"></span>
  {#each ['blocked', 'challenged'] as outcome (outcome)}
    {@const on = filters['outcome'] === outcome}
    <button class="action" aria-pressed={on} onclick={() => push(address({ outcome: on ? '' : outcome }))}><Mark value={outcome} /></button>
  {/each}
</div>
<FilterBox where={filters['where'] ?? ''} problem={list.problem} apply={(where) => push(address({ where }))} words={filterWords} example="outcome is blocked and person.groups has crew" />

{#if list.problem && list.problem.code !== 'bad-filter'}
  <Failing problem={list.problem} again={load} />
{:else if !list.value && !list.problem}
  <Waiting lines={14} />
{:else if list.value}
  <ol {@attach rows} class="border-t border-rule" class:opacity-60={list.busy} aria-label="Causes">
    {#each list.value.causes as cause (cause.key)}
      <Cause {cause} {filters} />
    {/each}
  </ol>
{/if}
