<script lang="ts">
  // The devices that fail a standard, now or as a draft has it: what to do about each, and what their owners lose.
  import { router } from 'svelte-spa-router';
  import { api } from '../../lib/api/client';
  import { inventory } from '../../lib/api/inventory';
  import type { DraftList, FailingDevice, FailingDevices } from '../../lib/api/types';
  import { CSV, csv } from '../../lib/csv';
  import { save } from '../../lib/download';
  import { count } from '../../lib/format';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import ListTable from '../../lib/parts/ListTable.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import { session } from '../../lib/state/session.svelte';

  let { params }: { params: { standard: string } } = $props();
  let draft = $state(new URLSearchParams(router.querystring ?? '').get('draft') ?? '');
  const found = new Load<FailingDevices>();
  const drafts = new Load<DraftList>();
  let items = $state<FailingDevice[]>([]);
  const whole = new Load<FailingDevice[]>();
  let read = $state(0);
  const load = (after = '') =>
    void found.run(async (signal) => {
      const page = await inventory.failing(params.standard, draft, after, signal);
      items = after ? [...items, ...page.items] : page.items;
      return page;
    });
  $effect(() => load());
  $effect(() => {
    if (session.info && session.info.role !== 'viewer') void drafts.run((signal) => api.drafts(signal));
  });
  const fixes = (each: FailingDevice) => [...new Set(each.checks.map((check) => check.fix).filter(Boolean))];
  const losing = $derived(new Set(items.filter((each) => each.loses.length).map((each) => each.person)).size);
  const kept = $derived(losing ? `${count(losing, 'person', 'people')} would be kept out of an app on one` : 'nobody is kept out of an app by it');

  /** Every device as CSV, also those of pages that were not looked at: what `caddrel devices failing --csv` writes. */
  const list = () =>
    whole.run(async (signal) => {
      const all = [...items];
      for (let next = found.value?.next; next; ) {
        read = all.length;
        const page = await inventory.failing(params.standard, draft, next, signal);
        all.push(...page.items);
        next = page.next;
      }
      save(`${params.standard}.csv`, CSV, csv(HEADS, all.map(cells)));
      return all;
    });
  const HEADS = ['device', 'title', 'person', 'name', 'passes', 'fails', 'fixes', 'loses'];
  const cells = (each: FailingDevice) => [
    each.device, each.title, each.person, each.person_title, each.truth === 'false' ? 'no' : 'not known',
    each.checks.map((check) => check.title).join('; '), fixes(each).join('; '), each.loses.join(' '),
  ];
</script>

<Heading place="Standard · {params.standard}{draft ? ` · draft ${draft}` : ''}">
  {#if found.value}{count(found.value.devices, 'device')} of {found.value.total} {found.value.devices === 1 ? 'does' : 'do'} not pass {found.value.title}; {found.value.next ? `of the first ${items.length}, ${kept}` : kept}.
  {:else}{found.problem ? 'The devices cannot be shown.' : 'Looking at every device …'}{/if}
  {#snippet aside()}
    <a class="action" href="#/rulebook/standard/{encodeURIComponent(params.standard)}">The standard</a>
    {#if items.length}<button class="action" onclick={list} disabled={whole.busy}>{whole.busy ? `${read} of ${found.value?.devices} looked at …` : 'As CSV'}</button>{/if}
  {/snippet}
</Heading>
{#if drafts.value?.items.length}
  <p class="mb-4 text-small"><label>As it is in
    <select class="field inline-block w-auto" bind:value={draft}><option value="">the current revision</option>{#each drafts.value.items as each (each.name)}<option value={each.name}>draft {each.name}</option>{/each}</select></label></p>
{/if}
{#if whole.problem}<Failing problem={whole.problem} />{/if}
{#if found.problem}<Failing problem={found.problem} />
{:else}
  <ListTable list={found} {items} key={(each) => each.device} label="Devices that fail" width="52rem" again={load} columns={['Device', 'Person', 'Fails', 'What to do', 'Loses']}>
    {#snippet none()}<p>Every device passes it.</p>{/snippet}
    {#snippet row(each)}
      <td class="whitespace-nowrap"><a data-row href="#/inventory/devices/{encodeURIComponent(each.device)}">{each.device}</a></td>
      <td>{#if each.person}<a href="#/inventory/people/{encodeURIComponent(each.person)}">{each.person_title}</a>{:else}<span class="text-muted">nobody’s</span>{/if}</td>
      <td>{#each each.checks as check (check.check)}<span class="block">{check.title}{check.truth === 'unknown' ? ' (not known)' : ''}</span>{/each}</td>
      <td>{#each fixes(each) as fix (fix)}<span class="block">{fix}</span>{/each}</td>
      <td>{each.loses.join(', ')}</td>
    {/snippet}
  </ListTable>
  {#if found.value?.next}<p class="mt-3"><button class="action" onclick={() => load(found.value?.next ?? '')}>More</button></p>{/if}
{/if}
