<script lang="ts">
  // What those who would be hit are told: a text for each, from a template; looked at and taken away, never sent.
  import { Failure } from '../../lib/api/client';
  import { replays } from '../../lib/api/replays';
  import type { Letter, PersonHit, Problem } from '../../lib/api/types';
  import Failing from '../../lib/parts/Failing.svelte';
  import { save } from '../../lib/download';

  let { job, people, name }: { job: string; people: PersonHit[]; name: string } = $props();
  let template = $state('');
  let person = $state('');
  let letter = $state.raw<Letter | null>(null);
  let problem = $state.raw<Problem | null>(null);
  const chosen = $derived(people.some((each) => each.person === person) ? person : (people[0]?.person ?? ''));
  let turn = 0;

  async function ask(whose: string): Promise<Letter[]> {
    const mine = ++turn;
    try {
      const found = await replays.letters(job, template, whose);
      if (mine === turn) [problem, template] = [null, template || found.template];
      return found.items;
    } catch (error) {
      if (!(error instanceof Failure)) throw error;
      problem = error.problem;
      return [];
    }
  }
  $effect(() => {
    const [whose, text] = [chosen, template];
    // What is being typed is asked for when a pause comes.
    const later = setTimeout(() => void ask(whose).then((found) => (letter = found[0] ?? (text ? letter : null))), text ? 300 : 0);
    return () => clearTimeout(later);
  });

  async function all(): Promise<void> {
    const found = await ask('');
    const rule = '-'.repeat(72);
    if (found.length) save(`texts-${name}.txt`, 'text/plain', found.map((each) => `${rule}\n${each.title} (${each.person})\n${rule}\n\n${each.text}`).join('\n'));
  }
</script>

<div class="mt-3 grid gap-x-8 gap-y-3 lg:grid-cols-2">
  <label class="text-small">What they are told; the words in braces are each person's own
    <textarea class="field h-64 font-mono text-fine" bind:value={template} spellcheck="false" maxlength="20000"></textarea></label>
  <div class="text-small">
    <label>As it is for <select class="field inline-block w-auto" value={chosen} onchange={(event) => (person = event.currentTarget.value)}>
      {#each people as each (each.person)}<option value={each.person}>{each.title}</option>{/each}</select></label>
    {#if problem}<Failing {problem} />{:else if letter}<pre class="mt-2 border-l-2 border-rule-strong bg-sunk px-3 py-2 font-sans whitespace-pre-wrap" aria-live="polite">{letter.text}</pre>{/if}
    <p class="mt-2"><button type="button" class="action" disabled={!!problem} onclick={all}>All texts, in one file</button> <span class="text-muted">Nothing is sent.</span></p>
  </div>
</div>
