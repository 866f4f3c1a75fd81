<script lang="ts">
  // Two rehearsals side by side: what comes of either, and what differs. The address holds the facts of both.
  import { untrack } from 'svelte';
  import { router } from 'svelte-spa-router';
  import { api } from '../../lib/api/client';
  import type { DraftList, FactView, RevisionList } from '../../lib/api/types';
  import { linkTo, moment } from '../../lib/format';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import Mark from '../../lib/parts/Mark.svelte';
  import Sentence from '../../lib/parts/Sentence.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import { Besides } from './beside.svelte';
  import FactField from './fields/FactField.svelte';

  const besides = new Besides(router.querystring ?? '');
  const drafts = new Load<DraftList>();
  void drafts.run((signal) => api.drafts(signal));
  // Then and now: what was in force before is there to be held against.
  const revisions = new Load<RevisionList>();
  void revisions.run((signal) => api.revisions(signal));
  const under = (side: 'left' | 'right') => {
    const { draft, revision } = besides.given[side];
    return revision ? `revision:${revision}` : `draft:${draft ?? ''}`;
  };
  let more = $state('');
  const answer = $derived(besides.answer);
  const items = $derived(besides.facts.value?.items ?? []);
  const shown = $derived(besides.shown.flatMap((name) => items.find((fact) => fact.name === name) ?? []));
  const others = $derived(items.filter((fact) => !besides.shown.includes(fact.name)));
  const differing = $derived(answer.value?.facts.filter((fact) => fact.differs) ?? []);
  const policies = $derived(answer.value?.policies.filter((policy) => policy.differs) ?? []);

  $effect(() => {
    const text = besides.querystring;
    untrack(() => history.replaceState(history.state, '', `#/beside?${text}`));
  });
  const SIDES = ['left', 'right'] as const;
  const NAMES = { left: 'This', right: 'That' };
</script>

{#snippet field(fact: FactView, side: 'left' | 'right')}
  {#if besides.facts.value}
    <FactField
      {fact}
      facts={besides.facts.value}
      side="{side}-"
      person={besides.given[side]['person.id'] ?? ''}
      value={besides.given[side][fact.name] ?? ''}
      wrong=""
      set={(value) => besides.setMany(side, { [fact.name]: value })}
      setMany={(values) => besides.setMany(side, values)}
    />
  {/if}
{/snippet}

<Heading place="Rehearse · side by side">
  {#if answer.value && !answer.problem}
    <span aria-live="polite">{answer.value.same ? 'Nothing differs.' : differing.length || policies.length ? `${differing.length} facts and ${policies.length} policies differ.` : 'They come out differently.'}</span>
  {:else}Two sign-ins side by side{/if}
  {#snippet aside()}<a class="action" href="#/rehearse?{besides.side('left')}">This alone</a><a class="action" href="#/rehearse?{besides.side('right')}">That alone</a>{/snippet}
</Heading>

<div class="grid gap-x-8 gap-y-4 lg:grid-cols-2">
  {#each SIDES as side (side)}
    {@const one = answer.value?.[side]}
    <section aria-label={NAMES[side]} class="min-w-0">
      <h2 class="mb-2 border-b-2 border-ink pb-1 text-lead font-semibold">{NAMES[side]}</h2>
      <div class="min-h-24" class:opacity-60={answer.busy}>
        {#if one}
          <p class="mb-1 flex flex-wrap gap-x-4">{#each one.cases.possible as outcome (outcome)}<Mark value={outcome} size={14} />{/each}</p>
          <p><Sentence pieces={one.cases.sentence} /></p>
          {#each one.remarks as remark, i (i)}<p class="text-small text-muted">{remark}</p>{/each}
        {/if}
      </div>
      <label class="mt-2 grid grid-cols-[11rem_minmax(0,1fr)] gap-x-3 py-1 text-small">Under
        <select class="field" bind:value={() => under(side), (to) => besides.setMany(side, { draft: '', revision: '', ...Object.fromEntries([to.split(':')]) })}>
          <option value="draft:">the current rulebook</option>
          {#each revisions.value?.items.filter((each) => !each.current) ?? [] as each (each.number)}<option value="revision:{each.number}">revision {each.number}, {moment(each.published_at)}</option>{/each}
          {#each drafts.value?.items.filter((draft) => !draft.discarded) ?? [] as draft (draft.name)}<option value="draft:{draft.name}">draft {draft.name}</option>{/each}
        </select></label>
      {#each shown as fact (fact.name)}{@render field(fact, side)}{/each}
    </section>
  {/each}
</div>
<label class="mt-2 block max-w-xs text-small">Another fact
  <select class="field" bind:value={() => more, (to) => to && besides.show(to)}>
    <option value="">choose …</option>
    {#each others as fact (fact.name)}<option value={fact.name}>{fact.label || fact.name}</option>{/each}
  </select></label>

{#if answer.problem}
  <div class="mt-6"><Failing problem={answer.problem} again={() => besides.ask()} /></div>
  <ul>{#each answer.problem.errors ?? [] as found, i (i)}<li>{found.message}{#if found.hint}&nbsp;— {found.hint}{/if}</li>{/each}</ul>
{:else if !answer.value}
  <Waiting />
{:else}
  {#if policies.length}
    <h2 class="mt-6 mb-2 border-t-2 border-ink pt-3 text-lead font-semibold">Policies that have another part in it, if nothing more is reported</h2>
    <table class="ruled">
      <thead><tr><th>Policy</th><th>This</th><th>That</th></tr></thead>
      <tbody>
        {#each policies as policy (policy.policy)}
          <tr>
            <td class="w-1/4"><a href={linkTo('policy', policy.policy)}>{policy.title}</a></td>
            <td>{#if policy.left.length}<Sentence pieces={policy.left} />{:else}<span class="text-muted">not there</span>{/if}</td>
            <td>{#if policy.right.length}<Sentence pieces={policy.right} />{:else}<span class="text-muted">not there</span>{/if}</td>
          </tr>
        {/each}
      </tbody>
    </table>
  {/if}
  {#if differing.length}
    <h2 class="mt-6 mb-2 border-t-2 border-ink pt-3 text-lead font-semibold">Facts that differ</h2>
    <table class="ruled">
      <thead><tr><th>Fact</th><th>This</th><th>That</th></tr></thead>
      <tbody>
        {#each differing as fact (fact.fact)}
          <tr><td>{fact.label} <span class="font-mono text-fine text-muted">{fact.fact}</span></td><td class="wrap-anywhere">{fact.left || 'open'}</td><td class="wrap-anywhere">{fact.right || 'open'}</td></tr>
        {/each}
      </tbody>
    </table>
  {/if}
{/if}
