<script lang="ts">
  // What differs between two rulebooks, object by object: in words where there are words, and as text.
  import type { ObjectChange } from '../../lib/api/types';
  import Sentence from '../../lib/parts/Sentence.svelte';
  import { difference } from './diff';

  let { objects }: { objects: ObjectChange[] } = $props();
  const SIGNS = { same: ' ', gone: '-', new: '+' };
  const said = (change: ObjectChange) => JSON.stringify(change.before_words) !== JSON.stringify(change.after_words);
</script>

{#each objects as each (each.kind + each.id)}
  <section class="mb-6" aria-label="{each.kind} {each.title}">
    <h2 class="mb-1 border-b border-rule-strong pb-1 font-semibold">
      {each.title} <span class="text-small font-normal text-muted">{each.kind} {each.id}, {each.change}</span>
    </h2>
    {#if said(each)}
      {#if each.before_words.length}<p class="text-small text-muted"><span class="font-semibold">Before:</span> <Sentence pieces={each.before_words} /></p>{/if}
      {#if each.after_words.length}<p class="mb-1 text-small"><span class="font-semibold">After:</span> <Sentence pieces={each.after_words} /></p>{/if}
    {/if}
    <!-- svelte-ignore a11y_no_noninteractive_tabindex: a region that scrolls must be reachable by keyboard -->
    <div class="overflow-x-auto bg-sunk py-1 font-mono text-fine" tabindex="0" role="region" aria-label="Text of {each.title}">
      {#each difference(each.before, each.after) as line, i (i)}
        <div
          class="min-w-max px-3 whitespace-pre"
          class:bg-blocked-soft={line.kind === 'gone'}
          class:bg-allowed-soft={line.kind === 'new'}
        ><span class="sr-only">{line.kind === 'gone' ? 'taken out: ' : line.kind === 'new' ? 'put in: ' : ''}</span><span aria-hidden="true">{SIGNS[line.kind]} </span>{line.text}</div>
      {/each}
    </div>
  </section>
{/each}
