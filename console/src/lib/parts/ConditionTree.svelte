<script lang="ts">
  // A condition with the truth of every test, the value that gave it and where the value came from.
  import type { Trace, Tree } from '../api/types';
  import ConditionTree from './ConditionTree.svelte';
  import { linkTo } from '../format';
  import Sentence from './Sentence.svelte';
  import Shape from './Shape.svelte';

  let { tree, trace }: { tree: Tree; trace: Trace } = $props();
  const WORDS: Record<string, string> = { all: 'all of', any: 'any of', not: 'not', surely: 'surely' };
  const tone = (truth: string) =>
    truth === 'true' ? 'text-ink' : truth === 'false' ? 'text-muted' : 'text-challenged';
  const standard = $derived(tree.standard ? trace.standards[tree.standard] : undefined);
  const schedule = $derived(tree.schedule ? trace.schedules[tree.schedule] : undefined);
</script>

{#snippet head(truth: string, text: string, mono: boolean)}
  <span class="relative top-0.5 {tone(truth)}"><Shape name={truth} /></span>
  <span class="min-w-0">
    <span class="{mono ? 'font-mono text-small' : 'text-small font-medium'} wrap-anywhere {tone(truth)}">{text}</span>
    <span class="ml-1.5 text-fine {truth === 'unknown' ? 'text-challenged' : 'text-muted'}">{truth}</span>
  </span>
{/snippet}

<div class="my-1 flex gap-2">
  {#if tree.kind === 'test'}
    {@render head(tree.truth, tree.text, true)}
  {:else}
    {@render head(tree.truth, WORDS[tree.kind] ?? tree.kind, false)}
  {/if}
  {#if tree.fact}
    <span class="ml-auto max-w-[46%] shrink-0 text-right text-fine text-muted wrap-anywhere">
      {#if tree.value !== undefined && tree.value !== null}
        <span class="text-ink">{tree.value}</span> · {tree.origin}
      {:else}
        {tree.fact} is not known
      {/if}
    </span>
  {/if}
</div>
<div class="ml-[5px] border-l border-rule pl-4">
  {#each tree.parts ?? [] as part, i (i)}<ConditionTree tree={part} {trace} />{/each}
  {#if standard}
    {#each standard.checks as check (check.check)}
      <div class="my-1 flex gap-2">
        {@render head(check.truth, check.title || check.check, false)}
        {#if check.truth === 'true'}
          <span class="ml-auto text-right font-mono text-fine text-muted wrap-anywhere">{check.must.text}</span>
        {/if}
      </div>
      {#if check.truth !== 'true'}
        <div class="ml-5">
          <ConditionTree tree={check.must} {trace} />
          {#if check.fix}<p class="mb-1 text-small">Fix: {check.fix}</p>{/if}
        </div>
      {/if}
    {/each}
    <a class="text-fine" href={linkTo('standard', tree.standard ?? '')}>{standard.title || tree.standard}</a>
  {/if}
  {#each tree.places ?? [] as name (name)}
    {@const place = trace.places[name]}
    {#if place}
      <p class="text-fine text-muted">
        <a href={linkTo('place', name)}>{place.title || name}</a>:
        {#each place.parts as part, i (i)}{i ? '; ' : ''}{part.part} {part.shown} — {part.truth}{/each}{#each place.without as part, i (i)};
          left out {part.shown} — {part.truth}{/each}
      </p>
    {/if}
  {/each}
  {#each tree.signals ?? [] as name (name)}
    {@const signal = trace.signals[name]}
    {#if signal}
      <p class="flex gap-2 text-small {tone(signal.truth)}">
        <span class="relative top-0.5"><Shape name={signal.truth} /></span>
        <span>
          <a href={linkTo('signal', name)}>{signal.title || name}</a>: <Sentence pieces={signal.summary ?? []} />
          <span class="sr-only">({signal.truth})</span>
        </span>
      </p>
    {/if}
  {/each}
  {#if schedule}
    <p class="text-fine text-muted">
      <a href={linkTo('schedule', tree.schedule ?? '')}>{schedule.title || tree.schedule}</a>:
      {schedule.local ? `${schedule.local} in ${schedule.zone}` : 'the moment is not known'}; open
      {schedule.windows.join(', ') || 'not at all'} that day
    </p>
  {/if}
</div>
