<script lang="ts">
  // What can come of it: the outcomes, on what it turns, the tree, and one path of it followed to its end.
  import type { CaseNode, OpenCases } from '../../lib/api/types';
  import { moment, typed } from '../../lib/format';
  import Mark from '../../lib/parts/Mark.svelte';
  import Sentence from '../../lib/parts/Sentence.svelte';
  import CaseTree from './CaseTree.svelte';
  import { at, steps } from './tree';

  let { cases, given, draft, onfact }: { cases: OpenCases; given: Record<string, string>; draft: string; onfact: (fact: string) => void } = $props();
  let path = $state('');
  $effect(() => {
    void cases;
    path = '';
  });
  const here = $derived(at(cases.tree, path));
  const followed = $derived(steps(cases.tree, path));

  /** The address of a rehearsal with the facts of an end of the tree. */
  function rehearsal(node: CaseNode): string {
    const facts = Object.fromEntries(Object.entries(node.facts ?? {}).map(([name, value]) => [name, typed(value)]).filter(([, text]) => text));
    return `#/rehearse?${new URLSearchParams({ ...facts, ...given, ...(draft ? { draft } : {}) }).toString()}`;
  }
</script>

<dl class="mb-4 grid grid-cols-[7rem_minmax(0,1fr)] gap-x-3 gap-y-1.5 text-small">
  <dt class="text-muted">Possible</dt>
  <dd class="flex flex-wrap gap-4">{#each cases.possible as outcome (outcome)}<Mark value={outcome} />{/each}</dd>
  <dt class="text-muted">Turns on</dt>
  <dd>{#if !cases.matters.length}nothing that is left open{/if}{#each cases.matters as fact, i (fact)}{i ? ', ' : ''}<button class="font-mono text-accent underline underline-offset-3" onclick={() => onfact(fact)}>{fact}</button>{/each}</dd>
  {#if cases.now}
    <dt class="text-muted">Now</dt>
    <dd>
      <span class="mr-3">{moment(cases.now.at)}</span>
      <span class="inline-flex flex-wrap gap-3">{#each cases.now.possible as outcome (outcome)}<Mark value={outcome} />{/each}</span>
      <span class="block"><Sentence pieces={cases.now.sentence} />{cases.now.exact ? '' : ' Not all cases could be looked at.'}</span>
    </dd>
  {/if}
  <dt class="text-muted">At the door</dt>
  <dd><Sentence pieces={cases.door} /></dd>
</dl>
{#if !cases.exact}<p class="mb-3 border-l-4 border-challenged bg-challenged-soft px-4 py-2">Not all cases could be looked at: other outcomes are not excluded. Give more facts.</p>{/if}
<CaseTree tree={cases.tree} {path} follow={(to) => (path = to === path ? '' : to)} />
<div class="mt-3 min-h-24 text-small" aria-live="polite">
  {#if !path}
    <p class="text-muted">Follow a path: choose an answer above. Every end can be opened as a rehearsal of its own.</p>
  {:else}
    <ol class="mb-2">
      {#each followed as step (step.path)}
        <li><button class="text-left underline-offset-3 hover:underline" onclick={() => (path = step.path)}><Sentence pieces={(step.yes ? step.node.yes_words : step.node.no_words) ?? []} /></button></li>
      {/each}
    </ol>
    {#if here && !here.asks}
      <p class="flex flex-wrap items-baseline gap-x-4">
        {#each here.possible as outcome (outcome)}<Mark value={outcome} />{/each}
        {#if here.outstanding?.length}<span>in one such case after <span class="font-mono">{here.outstanding.join(', ')}</span></span>{/if}
        {#if here.in_the_way?.length}<span>in the way in one such case: <span class="font-mono">{here.in_the_way.join(', ')}</span></span>{/if}
      </p>
      {#each here.deciding ?? [] as rule (rule.policy + rule.rule)}
        <p><a href="#/rulebook/policy/{encodeURIComponent(rule.policy)}">{rule.policy}</a> <span class="text-muted">/ {rule.rule}</span></p>
      {/each}
      {#if here.tell?.length}<p class="mt-1 text-fine text-muted">What that person would see</p>{/if}
      {#each here.tell ?? [] as tell, i (i)}<blockquote class="my-1 border-l-2 border-rule-strong pl-3">{tell.text}</blockquote>{/each}
      <p class="mt-2"><a class="action" href={rehearsal(here)}>Rehearse this case</a></p>
    {:else if here}
      <p>Then it asks <span class="font-mono">{here.asks}</span>: {here.possible.join(' or ')} {here.possible.length > 1 ? 'are' : 'is'} still possible.</p>
    {/if}
  {/if}
</div>
