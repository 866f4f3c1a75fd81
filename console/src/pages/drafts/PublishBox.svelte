<script lang="ts">
  // Publishing a draft: why, and, where somebody who must get in could be locked out, why all the same.
  import { push } from 'svelte-spa-router';
  import type { DraftInfo } from '../../lib/api/types';
  import { api } from '../../lib/api/client';
  import Failing from '../../lib/parts/Failing.svelte';
  import { moment } from '../../lib/format';
  import Mark from '../../lib/parts/Mark.svelte';
  import { session } from '../../lib/state/session.svelte';
  import MeaningBox from './MeaningBox.svelte';
  import ReplayBox from './ReplayBox.svelte';
  import ShadowBox from './ShadowBox.svelte';
  import type { Writing } from './writing.svelte';

  let { writing }: { writing: Writing } = $props();
  let why = $state('');
  let accept = $state('');
  let failing = $state('');
  let unproven = $state('');
  let at = $state('');
  let conflicts = $state<{ path: string; mine: string | null; theirs: string | null }[]>([]);
  const may = $derived(session.info?.role === 'publisher' || session.info?.role === 'operator');
  const risky = $derived(writing.refused?.code === 'lockout-risk' || accept !== '');
  const plan = $derived(writing.whole?.info.plan ?? null);
  const rehearsals = $derived(writing.check.value?.rehearsals ?? []);
  const behind = $derived(writing.whole?.info.behind ?? false);

  async function publish(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    // What is shown is what is published: a save by somebody else in between is refused.
    const seen = writing.whole?.info;
    if (!seen) return;
    const over = { accept_lockout_risk: accept, accept_failing_rehearsals: failing };
    const proven = { ...over, accept_failing_guarantees: unproven };
    if (at.trim()) {
      await writing.attempt(async () => keep(await api.planDraft(seen, at.trim(), why, over)));
    } else if (await writing.attempt(() => api.publishDraft(seen, why, proven))) void push('/history');
  }
  const unplan = () => writing.attempt(async () => keep(await api.unplanDraft(writing.name)));
  function keep(info: DraftInfo): void {
    if (writing.whole) writing.whole = { ...writing.whole, info };
  }

  async function move(taking: Record<string, string>): Promise<void> {
    await writing.attempt(async () => {
      const moved = await api.moveDraft(writing.name, writing.whole?.info.version ?? 0, taking);
      conflicts = moved.conflicts;
      if (!conflicts.length) await writing.read();
    });
  }
  let taking = $state<Record<string, string>>({});
</script>

{#if behind}
  <div class="mb-4 border-l-4 border-challenged bg-challenged-soft px-4 py-3">
    <p class="font-semibold">A newer revision is current than the one this draft was begun on.</p>
    <button class="action mt-2" onclick={() => move(taking)}>Move the draft onto it</button>
    {#each conflicts as each (each.path)}
      <fieldset class="mt-3 text-small">
        <legend class="font-semibold">{each.path} was changed here and there. Take</legend>
        {#each [['mine', each.mine], ['theirs', each.theirs]] as [side, text] (side)}
          <label class="mt-1 block"><input type="radio" name={each.path} value={side} bind:group={taking[each.path]} /> {side === 'mine' ? 'the one of this draft' : 'the one that is current'}
            <span class="block bg-sunk px-2 font-mono text-fine whitespace-pre-wrap">{text ?? 'taken out'}</span></label>
        {/each}
      </fieldset>
    {/each}
  </div>
{/if}
{#if writing.whole?.info.failed}
  <p class="mb-4 border-l-4 border-blocked bg-blocked-soft px-4 py-2">It was due to be published, and was not: {writing.whole.info.failed}</p>
{/if}
{#if plan}
  <div class="border-l-4 border-accent bg-accent-soft px-4 py-3">
    <p><span class="font-semibold">To be published at {moment(plan.at)} UTC</span> by {plan.by}: {plan.why}</p>
    <p class="text-small text-muted">Until then nobody can change it. It is checked once more when it is due.</p>
    {#if may}<button class="action mt-2" onclick={unplan}>Take the plan back</button>{/if}
  </div>
{:else if may}
  <form class="grid max-w-2xl gap-3" onsubmit={publish}>
    <label class="text-small">Why, for those who read the history<input class="field" bind:value={why} required maxlength="1000" /></label>
    {#if risky}
      <label class="text-small">Why it is to be published although somebody who must get in could be locked out<input class="field" bind:value={accept} maxlength="1000" /></label>
    {/if}
    {#if writing.refused?.code === 'rehearsals-fail' || failing !== ''}
      <label class="text-small">Why it is to be published although kept rehearsals do not give what they must<input class="field" bind:value={failing} maxlength="1000" /></label>
    {/if}
    {#if writing.refused?.code === 'guarantees-fail' || unproven !== ''}
      <label class="text-small">Why it is to be published although a guarantee does not hold<input class="field" bind:value={unproven} maxlength="1000" /></label>
    {/if}
    <label class="text-small">When, in UTC or with an offset; at once when left empty<input class="field" bind:value={at} placeholder="2026-12-01T06:00:00Z" spellcheck="false" /></label>
    <div><button class="action" disabled={behind}>{at.trim() ? 'Plan it' : 'Publish it'}</button></div>
  </form>
{:else}
  <p class="text-muted">Publishing needs the role publisher; yours is {session.info?.role}.</p>
{/if}
{#if writing.refused}<div class="mt-3 max-w-3xl"><Failing problem={writing.refused} /></div>{/if}
{#if rehearsals.length}
  <h2 class="mt-6 mb-1 font-semibold">Kept rehearsals</h2>
  <ul class="text-small">
    {#each rehearsals as each (each.id)}
      <li class="flex flex-wrap gap-x-2"><a href="#/drafts/{writing.name}/rehearsals.{each.id}">{each.title}</a> must be {#if each.expect.includes(' ')}{each.expect}{:else}<Mark value={each.expect} size={10} />{/if}
        {#if each.ok}<span class="text-muted">and is so</span>{:else}<span class="font-semibold text-blocked">and is {each.outcome}</span>{/if}
        {#if each.decides.length}<span class="w-full pl-4 text-muted">by {#each [...new Set(each.decides.map((ref) => ref.policy))] as policy, i (policy)}{i ? ', ' : ''}<a href="#/drafts/{writing.name}/policies.{policy}">{policy}</a>{/each}{#if each.turned_by.length}; turned by the change of {#each each.turned_by as path, i (path)}{i ? ', ' : ''}<a href="#/drafts/{writing.name}/{path}">{path}</a>{/each}{/if}</span>{/if}</li>
    {/each}
  </ul>
{/if}
<MeaningBox {writing} />
<ReplayBox {writing} />
<ShadowBox {writing} {may} />
