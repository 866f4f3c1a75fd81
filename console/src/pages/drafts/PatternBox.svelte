<script lang="ts">
  // A new policy from a pattern: what it is for, as a sentence whose blanks are filled in place.
  import { untrack } from 'svelte';
  import { api } from '../../lib/api/client';
  import type { BlankView, DraftObject, PatternCovers, PatternList } from '../../lib/api/types';
  import Failing from '../../lib/parts/Failing.svelte';
  import { count, idFor } from '../../lib/format';
  import { Load } from '../../lib/state/load.svelte';

  let { draft, id: given, title: begun, objects, put }: {
    draft: string;
    /** The id that was chosen, empty when none was: it follows from the title then. */
    id: string;
    title: string;
    /** What the draft has: parts that a blank may name. */
    objects: DraftObject[];
    put: (id: string, title: string, pattern: string, blanks: Record<string, string>) => Promise<void>;
  } = $props();
  const list = new Load<PatternList>();
  let chosen = $state('');
  let blanks = $state<Record<string, string>>({});
  let busy = $state(false);
  const covers = new Load<PatternCovers>();
  const AFTER = 250;
  let title = $state(untrack(() => begun));
  let typed = $state(untrack(() => given));
  let byHand = $state(untrack(() => given !== ''));
  const id = $derived(byHand ? typed : idFor(title || covers.value?.title || ''));
  $effect(() => void list.run((signal) => api.patterns(signal)));
  // Whom it would cover, a moment after the last key.
  $effect(() => {
    if (!chosen) return;
    const asked = { pattern: chosen, blanks: $state.snapshot(blanks) };
    const timer = setTimeout(() => void covers.run((signal) => api.patternCovers(draft, asked, signal)), AFTER);
    return () => clearTimeout(timer);
  });
  const pattern = $derived(list.value?.items.find((each) => each.name === chosen));
  // The sentence in pieces: words, and the blanks between them; what it does not name stands behind it.
  const pieces = $derived(pattern ? pattern.says.split(/\{([a-z]+)\}/).map((text, i) => ({ text, blank: i % 2 ? pattern.blanks.find((each) => each.name === text) : undefined })) : []);
  const rest = $derived(pattern ? pattern.blanks.filter((each) => !pattern.says.includes(`{${each.name}}`)) : []);
  const parts = (section: string) => objects.filter((each) => each.path.startsWith(`${section}.`) && each.text).map((each) => each.path.slice(section.length + 1));
  const choices = (each: BlankView) => (each.section ? parts(each.section) : (each.words ?? []));
  function choose(name: string): void {
    chosen = name;
    blanks = Object.fromEntries((list.value?.items.find((each) => each.name === name)?.blanks ?? []).map((each) => [each.name, each.otherwise]));
  }
  async function write(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    busy = true;
    await put(idFor(id), title.trim(), chosen, $state.snapshot(blanks));
    busy = false;
  }
</script>

{#snippet blank(each: BlankView)}
  {#if each.section || each.words?.length}
    <select class="field mx-1 inline-block w-auto! leading-normal!" aria-label={each.asks} required bind:value={blanks[each.name]}>
      <option value="">{each.asks.toLowerCase()} …</option>{#each choices(each) as part (part)}<option>{part}</option>{/each}
    </select>
  {:else}<input class="field mx-1 inline-block w-auto! max-w-full min-w-44 [field-sizing:content] font-mono leading-normal!" aria-label={each.asks} placeholder={each.asks.toLowerCase()} required bind:value={blanks[each.name]} />{/if}
{/snippet}

<form class="mb-5 border border-rule bg-raised p-4" onsubmit={write} aria-label="From a pattern">
  <label class="text-small">What is it for?
    <select class="field" value={chosen} onchange={(event) => choose(event.currentTarget.value)}>
      <option value="">something else: begin with nothing, below</option>
      {#each list.value?.items ?? [] as each (each.name)}<option value={each.name}>{each.title}</option>{/each}
    </select></label>
  {#if pattern}
    <p class="mt-3 leading-10">{#each pieces as piece, i (i)}{#if piece.blank}{@render blank(piece.blank)}{:else}{piece.text}{/if}{/each}</p>
    {#each rest as each (each.name)}<p class="leading-10 text-small">{each.asks}: {@render blank(each)}</p>{/each}
    <p class="min-h-6 text-small" role="status" data-covers>
      {#if covers.value}
        {@const people = covers.value.people}{@const apps = covers.value.apps}
        {#each covers.value.problems as problem (problem)}<span class="text-blocked">{problem}</span>&nbsp;{/each}
        {#if people !== null && apps !== null}It would cover {count(people, 'person', 'people')} and {count(apps, 'app')}.
        {:else if people !== null}It would cover {count(people, 'person', 'people')}.
        {:else if apps !== null}It would cover {count(apps, 'app')}.{/if}
      {/if}
    </p>
    <div class="mt-1 grid gap-2 sm:grid-cols-2">
      <label class="text-small">Its title<input class="field" bind:value={title} placeholder={covers.value?.title ?? ''} /></label>
      <label class="text-small">Its id<input class="field font-mono" required value={id}
        oninput={(event) => { typed = event.currentTarget.value; byHand = typed !== ''; }} /></label>
    </div>
    <p class="mt-1 text-fine text-muted">People such as <code>everyone</code>, <code>group:crew</code>, <code>kind:contractor</code>; apps by id, <code>label:…</code> or <code>every-app</code>; several apart by commas. It begins in shadow.</p>
    <button class="action mt-2" disabled={busy}>Write it</button>
  {/if}
  {#if list.problem}<Failing problem={list.problem} />{/if}
</form>
