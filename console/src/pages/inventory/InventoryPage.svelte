<script lang="ts">
  // Lists of people, groups, devices, apps and address lists: searched, filtered by a condition, changed, imported.
  import { push, router } from 'svelte-spa-router';
  import { api } from '../../lib/api/client';
  import { inventory, type Noun } from '../../lib/api/inventory';
  import type { FactView, Item, Page } from '../../lib/api/types';
  import { count } from '../../lib/format';
  import FilterBox from '../../lib/parts/FilterBox.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import ListTable from '../../lib/parts/ListTable.svelte';
  import type { Word, Words } from '../../lib/state/completing.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import { session } from '../../lib/state/session.svelte';
  import EditThing from './EditThing.svelte';
  import { FIELDS, NOUNS, typedField } from './fields';
  import ImportBox from './ImportBox.svelte';

  let { params }: { params: { noun?: Noun } } = $props();
  const noun = $derived<Noun>(params.noun ?? 'people');
  const it = $derived(NOUNS.find((each) => each.noun === noun) ?? NOUNS[0]!);
  const asked = $derived(Object.fromEntries(new URLSearchParams(router.querystring ?? '')));
  const search = $derived(asked.search ?? '');
  const where = $derived(asked.where ?? '');
  const after = $derived(asked.after ?? '');
  const page = new Load<Page>();
  const load = () => void page.run((signal) => inventory.list(noun, { search, where, after, limit: 100 }, signal));
  $effect(load);
  let doing = $state<'' | 'add' | 'import'>('');
  let typed = $state('');
  $effect(() => {
    typed = search;
  });
  const COLUMNS: Record<Noun, string[]> = {
    people: ['kind', 'unit', 'groups', 'factors'], groups: ['member_of'], devices: ['person', 'owner', 'platform', 'os_version', 'managed'], apps: ['labels'], lists: [],
  };
  const EXAMPLES: Partial<Record<Noun, string>> = {
    people: 'person.groups has crew and person.kind is employee', devices: 'not device passes crew-tablet', apps: 'app.labels has passenger-data',
  };
  const LABELS: Record<string, string> = { groups: 'Groups', member_of: 'Member of' };
  const label = (column: string) => LABELS[column] ?? FIELDS[noun].find((field) => field.name === column)?.label ?? column;
  const operator = $derived(session.info?.role === 'operator');
  const filtering = $derived(search !== '' || where !== '');

  function cell(item: Item, column: string): string {
    const field = FIELDS[noun].find((each) => each.name === column) ?? { name: column, label: column, kind: 'set' as const };
    return typedField(field, item.document[column]);
  }
  function go(next: Record<string, string>): void {
    const wanted = Object.entries({ search, where, ...next }).filter(([, value]) => value);
    void push(`/inventory/${noun}${wanted.length ? `?${new URLSearchParams(wanted).toString()}` : ''}`);
  }
  let facts: Promise<FactView[]> | undefined;
  const words: Words = {
    async next(before: string): Promise<Word[]> {
      const all = await (facts ??= api.facts().then((found) => found.items));
      const prefix = { people: 'person.', devices: 'device.', apps: 'app.', groups: '', lists: '' }[noun];
      const mine = all.filter((fact) => fact.name.startsWith(prefix));
      const compared = /([\w.]+)\s+(is(\s+not)?|has)\s*$/.exec(before)?.[1];
      const fact = mine.find((found) => found.name === compared);
      if (fact) return fact.words.map((word) => ({ word, says: '' }));
      return mine.map(({ name, doc }) => ({ word: name, says: doc }));
    },
  };
</script>

<Heading place="Inventory · {it.word}">
  {#if page.value}{count(page.value.total, it.one, it.word.toLowerCase())}{filtering ? ' match' : ''}{filtering && page.value.total === 1 ? 'es' : ''}.{:else}{page.problem ? 'This list cannot be shown.' : 'Loading …'}{/if}
  {#snippet aside()}
    {#if noun === 'devices'}<a class="action" href="#/unlisted">On no list</a>{/if}
    {#if operator}
      {#if noun !== 'lists'}<button class="action" aria-pressed={doing === 'add'} onclick={() => (doing = doing === 'add' ? '' : 'add')}>Add</button>{/if}
      <button class="action" aria-pressed={doing === 'import'} onclick={() => (doing = doing === 'import' ? '' : 'import')}>Import</button>
    {/if}
  {/snippet}
</Heading>

<nav class="mb-4 flex flex-wrap gap-1" aria-label="Kinds of objects">
  {#each NOUNS as each (each.noun)}
    <a class="rounded-[3px] px-2 py-1 text-small text-ink aria-[current=page]:bg-accent-soft aria-[current=page]:font-semibold" aria-current={each.noun === noun ? 'page' : undefined} href="#/inventory/{each.noun}">{each.word}</a>
  {/each}
</nav>
{#if doing === 'add'}{#key noun}<EditThing {noun} item={null} done={(id) => push(`/inventory/${noun}/${encodeURIComponent(id)}`)} cancel={() => (doing = '')} />{/key}
{:else if doing === 'import'}{#key noun}<ImportBox {noun} done={load} />{/key}{/if}
<form class="mb-3 flex gap-2" role="search" onsubmit={(event) => { event.preventDefault(); go({ search: typed.trim(), after: '' }); }}>
  <input class="field" data-search bind:value={typed} placeholder="An id or a name" aria-label="Search {it.word.toLowerCase()}" autocomplete="off" spellcheck="false" />
  <button class="action">Search</button>
</form>
{#if EXAMPLES[noun]}
  {#key noun}<FilterBox {where} problem={page.problem} apply={(text) => go({ where: text, after: '' })} {words} example={EXAMPLES[noun] ?? ''} />{/key}
{/if}
{#if page.problem?.code !== 'bad-filter'}
  <ListTable list={page} items={page.value?.items ?? []} key={(item) => item.id} label={it.word} width="40rem" again={load} columns={['Id', 'Title', ...COLUMNS[noun].map(label)]}>
    {#snippet none()}
      {#if filtering}<p>None matches. <button class="tool" onclick={() => push(`/inventory/${noun}`)}>Show all</button></p>
      {:else}<p>Here will be the {it.word.toLowerCase()} of your company. Take them in from a file:</p><pre class="mt-3 bg-sunk p-3 font-mono text-small">caddrel {noun} import {noun}.csv --dry-run</pre>{/if}
    {/snippet}
    {#snippet row(item)}
      <td class="whitespace-nowrap"><a data-row href="#/inventory/{noun}/{encodeURIComponent(item.id)}">{item.id}</a>{#if item.document.off}<span class="ml-2 text-fine text-muted">has left</span>{/if}</td>
      <td>{item.title}</td>
      {#each COLUMNS[noun] as column (column)}<td class="text-muted">{cell(item, column)}</td>{/each}
    {/snippet}
  </ListTable>
  {#if page.value && (page.value.next || after)}
    <p class="mt-3 flex gap-2">
      {#if after}<button class="action" onclick={() => go({ after: '' })}>From the start</button>{/if}
      {#if page.value.next}<button class="action" onclick={() => go({ after: page.value?.next ?? '' })}>The next 100</button>{/if}
    </p>
  {/if}
{/if}
