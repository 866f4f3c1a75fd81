<script lang="ts">
  // Keeps a rehearsal in a draft, which may be a new one: the facts, and the outcome that it must go on to give.
  import { api, Failure } from '../../lib/api/client';
  import { Load } from '../../lib/state/load.svelte';
  import type { DraftList, FactView } from '../../lib/api/types';

  let { draft, given, facts, possible, upToDate }: { draft: string; given: Record<string, string>; facts: FactView[]; possible: string[]; upToDate: boolean } = $props();
  let name = $state('');
  let into = $state('');
  const drafts = new Load<DraftList>();
  $effect(() => {
    if (!draft) void drafts.run((signal) => api.drafts(signal));
  });
  const open = $derived(drafts.value?.items.filter((each) => !each.discarded) ?? []);
  let kept = $state('');
  let keptIn = $state('');
  let refused = $state('');
  /** What stood there when somebody kept it before the answer to the facts just typed was there. */
  let promised = $state('');
  const expected = $derived(possible.length > 1 ? `exactly ${possible.join(' or ')}` : possible[0]);
  $effect(() => {
    if (!promised || !upToDate) return;
    // Facts and outcome are kept together: those of one answer, and the one that was read.
    if (promised === expected) void keep();
    else refused = `The outcome has changed meanwhile: it would now have to be ${expected}. Keep it again if that is meant.`;
    promised = '';
  });

  /** A fact as a document has it: several values as a list, methods with ages by name. */
  function written(fact: string, text: string): unknown {
    const type = facts.find((each) => each.name === fact)?.type;
    if (type !== 'names' && type !== 'methods') return text;
    const parts = text.split(',').map((each) => each.trim()).filter(Boolean);
    if (type === 'names' || !parts.some((each) => each.includes(':'))) return parts;
    return Object.fromEntries(parts.map((each) => [each.split(':')[0], each.split(':')[1] ?? '0s']));
  }

  /** A name that no draft has. */
  function fresh(): string {
    const taken = new Set((drafts.value?.items ?? []).map((each) => each.name));
    let made = 'rehearsals';
    for (let i = 2; taken.has(made); i++) made = `rehearsals-${i}`;
    return made;
  }

  function submitted(event: SubmitEvent): void {
    event.preventDefault();
    [kept, refused] = ['', ''];
    promised = expected ?? '';
  }

  async function keep(): Promise<void> {
    const id = name.trim().toLowerCase().replace(/[^a-z0-9]+/g, '-').replace(/^-|-$/g, '');
    if (!id) return;
    // As they are now: somebody may go on typing while the draft is asked for.
    const outcome = possible.length > 1 ? { expect_open: possible } : { expect: possible[0] };
    const title = name.trim();
    const attempt = Object.fromEntries(Object.entries(given).map(([fact, text]) => [fact, written(fact, text)]));
    try {
      const chosen = draft || into || fresh();
      const { info } = draft || into ? await api.draft(chosen) : await api.beginDraft(chosen);
      keptIn = chosen;
      await api.putValue(chosen, info.version, `rehearsals.${id}`, { title, attempt, ...outcome });
      [kept, refused, name] = [id, '', ''];
    } catch (error) {
      if (!(error instanceof Failure)) throw error;
      refused = [error.problem.title, error.problem.errors?.[0]?.message].filter(Boolean).join(': ');
    }
  }
</script>

<form class="mt-6 max-w-xl" onsubmit={submitted}>
  <label class="text-small">Keep it in {draft ? 'the draft' : 'a draft'}: from then on it must be {expected}
    <span class="flex gap-1"><input class="field" bind:value={name} placeholder="what it is about" maxlength="80" />{#if !draft}<select class="field w-auto" aria-label="Into which draft" bind:value={into}><option value="">a new draft</option>{#each open as each (each.name)}<option value={each.name}>{each.name}</option>{/each}</select>{/if}<button class="action" disabled={!Object.keys(given).length}>Keep</button></span></label>
  <p class="mt-1 text-fine" aria-live="polite">
    {#if kept}Kept as <a href="#/drafts/{keptIn}/rehearsals.{kept}">{kept}</a>.{:else if refused}<span class="text-blocked">{refused}</span>{/if}
  </p>
</form>
