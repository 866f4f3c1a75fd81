<script lang="ts">
  // Nothing is published yet: rulebooks to start from, each of which says for whom it is.
  import { api } from '../../lib/api/client';
  import type { StartList } from '../../lib/api/types';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { Act } from '../../lib/state/act.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import { session } from '../../lib/state/session.svelte';

  let { done }: { done: () => void } = $props();
  const starts = new Load<StartList>();
  const acting = new Act();
  let busy = $state(false);
  $effect(() => void starts.run((signal) => api.starts(signal)));
  const mayPublish = $derived(session.info?.role === 'publisher' || session.info?.role === 'operator');

  async function begin(name: string): Promise<void> {
    const chosen = starts.value?.items.find((each) => each.name === name);
    if (!chosen) return;
    busy = true;
    if (await acting.run(() => api.publish([{ name: 'rulebook.yaml', text: chosen.text }], `Begun from “${chosen.title}”`))) done();
    busy = false;
  }
</script>

<Heading place="Rulebook">Nothing has been published yet.</Heading>
<p class="mb-4 max-w-3xl">Here will be your policies as sentences. Start from what is nearest to you: every policy begins in shadow, so that nobody is stopped before you have seen whom it would hit, and each can be changed or taken out.</p>
{#if acting.refused}<Failing problem={acting.refused} />{/if}
{#if starts.problem}<Failing problem={starts.problem} />
{:else if !starts.value}<Waiting lines={6} />
{:else}
  <ul class="max-w-3xl border-t border-rule-strong" aria-label="Rulebooks to start from">
    {#each starts.value.items as start (start.name)}
      <li class="border-b border-rule py-3">
        <div class="flex items-baseline gap-3">
          <h2 class="text-lead font-semibold">{start.title}</h2>
          {#if mayPublish}<button class="action ml-auto" disabled={busy} aria-label="Start from it: {start.title}" onclick={() => begin(start.name)}>Start from it</button>{/if}
        </div>
        <p class="mt-1">{start.about}</p>
        <details class="mt-2"><summary class="cursor-pointer text-small text-accent">The document</summary><pre class="mt-2 max-h-96 overflow-auto bg-sunk p-3 font-mono text-fine">{start.text}</pre></details>
      </li>
    {/each}
  </ul>
  <p class="mt-3 text-small text-muted">Or from a file of your own: <code>caddrel rulebook publish rulebook.yaml --why "The first rulebook"</code></p>
{/if}
