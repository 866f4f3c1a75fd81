<script lang="ts">
  // What is proven of the rulebook, or of a draft: guarantees, ready safeguards, and what does nothing.
  import { push, router } from 'svelte-spa-router';
  import { api } from '../../lib/api/client';
  import { proofs } from '../../lib/api/proofs';
  import type { CheckUp, IdleResult, ProofResult } from '../../lib/api/types';
  import { count } from '../../lib/format';
  import Example from '../../lib/parts/Example.svelte';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import IdleList from '../../lib/parts/IdleList.svelte';
  import Shape from '../../lib/parts/Shape.svelte';
  import Sentence from '../../lib/parts/Sentence.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { Act } from '../../lib/state/act.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import { session } from '../../lib/state/session.svelte';

  const asked = $derived(new URLSearchParams(router.querystring ?? ''));
  const draft = $derived(asked.get('draft') ?? '');
  const sensitive = $derived((asked.get('sensitive') ?? '').split(',').map((label) => label.trim()).filter(Boolean));
  const guarantees = new Load<ProofResult>();
  const safeguards = new Load<CheckUp>();
  const idle = new Load<IdleResult>();
  const acting = new Act();
  const side = $derived(draft ? { draft } : {});
  $effect(() => {
    void proveAll(side, sensitive);
  });
  let asking = 0;
  /** Ask for one after another: they are proven so, and who leaves in between asks for no more. */
  async function proveAll(of: { draft?: string }, labels: string[]): Promise<void> {
    asking += 1;
    const now = asking;
    for (const ask of [
      () => guarantees.run((signal) => proofs.guarantees(of, signal)),
      () => idle.run((signal) => proofs.idle(of, signal)),
      () => safeguards.run((signal) => proofs.checkUp(of, labels, signal)),
    ])
      if (asking === now) await ask();
  }
  $effect(() => () => {
    asking += 1;
    for (const each of [guarantees, idle, safeguards]) each.leave();
  });
  const may = $derived(['author', 'publisher', 'operator'].includes(session.info?.role ?? ''));
  const broken = $derived((guarantees.value?.guarantees ?? []).filter((each) => each.answer !== 'holds').length);
  const failing = $derived((safeguards.value?.safeguards ?? []).filter((each) => each.verdict === 'fails').length);
  const WORDS: Record<string, string> = { holds: 'holds', fails: 'fails', undecided: 'undecided', passes: 'passes', 'not-applicable': 'not for you' };
  const SHAPES: Record<string, string> = { holds: 'true', passes: 'true', fails: 'false', undecided: 'unknown', 'not-applicable': 'off' };
  const colour = (word: string) => (word === 'fails' ? 'text-blocked' : word === 'undecided' ? 'text-challenged' : word === 'not-applicable' ? 'text-muted' : 'text-allowed');
  let labels = $derived(sensitive.join(', '));
  let naming = $state('');

  /** Put what mends something into a draft: the one that is looked at, or a new one. */
  async function mend(of: string, change: { path: string; text: string | null }, verb = 'mend'): Promise<void> {
    await acting.run(async () => {
      const name = draft || `${verb}-${of}`.slice(0, 60);
      const whole = draft ? await api.draft(draft) : await api.beginDraft(name);
      await api.putObject(name, whole.info.version, change.path, change.text);
      void push(`/drafts/${name}${change.text === null ? '' : `/${change.path}`}`);
    });
  }
  /** Begin a guarantee in the draft that is looked at, or in a new one. */
  async function write(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    const id = naming.trim().toLowerCase().replace(/[^a-z0-9]+/g, '-').replace(/^-|-$/g, '');
    if (!id) return;
    await acting.run(async () => {
      const name = draft || `guarantee-${id}`.slice(0, 60);
      if (!draft) await api.beginDraft(name);
      void push(`/drafts/${name}/guarantees.${id}`);
    });
  }
  function again(event: SubmitEvent): void {
    event.preventDefault();
    const to = new URLSearchParams({ ...(draft ? { draft } : {}), ...(labels.trim() ? { sensitive: labels } : {}) });
    void push(`/proofs?${to.toString()}`);
  }
</script>

<Heading place={draft ? `Drafts · ${draft} · What is proven` : 'Rulebook · What is proven'}>
  <span aria-live="polite">
    {#if guarantees.value && safeguards.value}
      {broken ? `${count(broken, 'guarantee does', 'guarantees do')} not hold` : guarantees.value.guarantees.length ? 'Every guarantee holds' : 'There are no guarantees yet'}; {failing ? `${count(failing, 'safeguard fails', 'safeguards fail')}` : 'no safeguard fails'}.
    {:else}Proving …{/if}
  </span>
  {#snippet aside()}<a class="action" href={draft ? `#/drafts/${draft}` : '#/rulebook'}>{draft ? 'The draft' : 'The rulebook'}</a>{/snippet}
</Heading>
{#if acting.refused}<Failing problem={acting.refused} />{/if}

<section aria-labelledby="guarantees">
  <h2 id="guarantees" class="mb-1 text-lead font-semibold">Guarantees</h2>
  {#if guarantees.problem}<Failing problem={guarantees.problem} />
  {:else if !guarantees.value}<Waiting lines={3} />
  {:else}
    <ul>
      {#each guarantees.value.guarantees as each (each.guarantee)}
        <li class="grid grid-cols-[6rem_minmax(0,1fr)_auto] gap-x-3 border-b border-rule py-2" data-guarantee={each.guarantee}>
          <span class="font-semibold {colour(each.answer)}"><Shape name={SHAPES[each.answer] ?? 'unknown'} size={12} /> {WORDS[each.answer]}</span>
          <div>
            <p class="font-semibold">{each.title || each.guarantee}{#if each.since}<span class="font-normal text-muted">{' '}since {each.since.slice(0, 10)}</span>{/if}</p>
            <p class="text-small text-muted"><Sentence pieces={each.says ?? []} /></p>
            {#if each.empty}<p class="text-small text-challenged">This asks nothing: no attempt is one that it speaks of.</p>{/if}
            {#if each.counterexample}<Example example={each.counterexample} {draft} />{/if}
          </div>
          {#if may && each.remedy?.mends}<button class="action self-start" aria-label="Mend it in a draft: {each.title || each.guarantee}" onclick={() => each.remedy && mend(each.guarantee, each.remedy)}>Mend it in a draft</button>{:else}<span></span>{/if}
        </li>
      {:else}<li class="py-1 text-muted">What must never happen is said once, and proven at every change.</li>{/each}
    </ul>
    {#if may}
      <form class="mt-2 flex flex-wrap items-end gap-2 text-small" onsubmit={write}>
        <label>A guarantee of your own <input class="field w-72!" bind:value={naming} placeholder="its name, such as manifest is proven" maxlength="60" /></label>
        <button class="action" disabled={!naming.trim()}>Write it</button>
      </form>
    {/if}
  {/if}
</section>

<section class="mt-8" aria-labelledby="safeguards">
  <h2 id="safeguards" class="mb-1 border-t-2 border-ink pt-3 text-lead font-semibold">Check-up</h2>
  <form class="mb-2 flex flex-wrap items-end gap-2 text-small" onsubmit={again}>
    <label>Labels of apps that are sensitive <input class="field w-72!" bind:value={labels} placeholder="sensitive" /></label>
    <button class="action">Check up again</button>
  </form>
  {#if safeguards.problem}<Failing problem={safeguards.problem} />
  {:else if !safeguards.value}<Waiting lines={6} />
  {:else}
    {#each [1, 2] as grade (grade)}
      <h3 class="eyebrow mt-3">{grade === 1 ? 'Needs no new process' : 'Needs a process in the company'}</h3>
      <ul>
        {#each safeguards.value.safeguards.filter((each) => each.grade === grade) as each (each.safeguard)}
          <li class="grid grid-cols-[6rem_minmax(0,1fr)_auto] gap-x-3 border-b border-rule py-2" data-safeguard={each.safeguard}>
            <span class="font-semibold {colour(each.verdict)}"><Shape name={SHAPES[each.verdict] ?? 'unknown'} size={12} /> {WORDS[each.verdict]}</span>
            <div>
              <p class="font-semibold">{each.title}{#if each.since && each.verdict !== 'not-applicable'}<span class="font-normal text-muted">{' '}since {each.since.slice(0, 10)}</span>{/if}</p>
              <p class="text-small text-muted">{each.why} {each.verdict === 'fails' ? `What it costs people: ${each.costs}` : ''}</p>
              {#if each.counterexample}<Example example={each.counterexample} {draft} />{:else if each.says}<p class="text-small text-muted">{each.says}</p>{/if}
            </div>
            {#if may && each.remedy?.mends}<button class="action self-start" aria-label="Mend it in a draft: {each.title}" onclick={() => each.remedy && mend(each.safeguard, each.remedy)}>Mend it in a draft</button>{:else}<span></span>{/if}
          </li>
        {/each}
      </ul>
    {/each}
  {/if}
</section>

<section class="mt-8" aria-labelledby="idle">
  <h2 id="idle" class="mb-1 border-t-2 border-ink pt-3 text-lead font-semibold">What does nothing</h2>
  {#if idle.problem}<Failing problem={idle.problem} />
  {:else if !idle.value}<Waiting lines={2} />
  {:else}
    {#if idle.value.items.length}
      <IdleList items={idle.value.items} place={(each) => (draft ? `#/drafts/${draft}/policies.${each.policy}` : `#/rulebook/policy/${encodeURIComponent(each.policy)}`)}
        takeOut={may ? (each) => void (each.change && mend(each.policy, each.change, 'tidy')) : undefined} />
    {:else if idle.value.whole}<p class="text-small text-muted">Every rule can fire, every condition can be true and false, and every policy changes something.</p>{/if}
    {#if !idle.value.whole}<p class="text-small text-challenged">Time ran out before all was looked at.</p>{/if}
  {/if}
</section>
