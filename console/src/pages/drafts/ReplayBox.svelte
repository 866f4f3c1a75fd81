<script lang="ts">
  // Before publishing: the last seven days under the draft, replayed by themselves.
  import { onDestroy } from 'svelte';
  import Sentence from '../../lib/parts/Sentence.svelte';
  import { Replaying } from '../replay/replay.svelte';
  import type { Writing } from './writing.svelte';

  let { writing }: { writing: Writing } = $props();
  const replaying = new Replaying();
  onDestroy(() => replaying.leave());
  const ready = $derived(Boolean(writing.whole?.info.changed && writing.check.value?.ok));
  let begun = '';
  $effect(() => {
    const version = `${writing.name} ${writing.whole?.info.version}`;
    if (!ready || begun === version) return;
    begun = version;
    void (async () => {
      if (!(await replaying.kept(writing.name)) || replaying.stale) await replaying.start({ under: { draft: writing.name }, since: '7d' });
    })();
  });
</script>

{#if ready}
  <h2 class="mt-6 mb-1 font-semibold">The last days under it</h2>
  <p class="text-small" aria-live="polite">
    {#if replaying.result}<Sentence pieces={replaying.result.sentence} />{:else if replaying.problem}<span class="text-muted">{replaying.problem.title}</span>{:else}<span class="text-muted">Deciding the log again …</span>{/if}
    <a class="action ml-2" href="#/replay?draft={writing.name}">Whom it hits</a>
  </p>
{/if}
