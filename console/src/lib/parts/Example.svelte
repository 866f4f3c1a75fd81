<script lang="ts">
  // An attempt that shows something, as a story, with the rules that let it; it opens as a rehearsal.
  import type { Example } from '../api/types';
  import { typed } from '../format';
  import Mark from './Mark.svelte';
  import Sentence from './Sentence.svelte';

  let { example, draft = '' }: { example: Example; draft?: string } = $props();
  const rehearsal = $derived(
    new URLSearchParams([
      ...Object.entries(example.facts)
        .filter(([name, value]) => name !== 'auth.credentials' && typed(value) !== '')
        .map(([name, value]) => [name, typed(value)]),
      ...(draft ? [['draft', draft]] : []),
    ]).toString(),
  );
</script>

<p><Sentence pieces={example.story ?? []} /></p>
<p class="text-small text-muted">
  <Mark value={example.outcome} size={10} />
  {#if example.deciding.length}by {#each example.deciding as ref, i (i)}{i ? ', ' : ''}<a href={draft ? `#/drafts/${draft}/policies.${ref.policy}` : `#/rulebook/policy/${encodeURIComponent(ref.policy)}`}>{ref.policy}</a> / {ref.rule}{/each}{:else}by no policy: so the app’s stance{/if}
  · <a href="#/rehearse?{rehearsal}">Rehearse it</a>
</p>
