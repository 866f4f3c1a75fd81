<script lang="ts">
  // The first page: is anything wrong? Outcomes over the last days, what is wrong, due or worth a look, and shadow policies.
  import { onMount } from 'svelte';
  import { Failure } from '../../lib/api/client';
  import { watching } from '../../lib/api/watch';
  import type { Problem, ShadowPolicy, Watch, WatchItem } from '../../lib/api/types';
  import { count, number } from '../../lib/format';
  import EditBox from '../../lib/parts/EditBox.svelte';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import Sentence from '../../lib/parts/Sentence.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import { session } from '../../lib/state/session.svelte';
  import FirstSteps from './FirstSteps.svelte';
  import Outcomes from './Outcomes.svelte';

  const watch = new Load<Watch>();
  const shadow = new Load<ShadowPolicy[]>();
  onMount(read);
  const WORDS: Record<string, string> = { wrong: 'wrong', due: 'due', look: 'worth a look' };
  const may = $derived(['author', 'publisher', 'operator'].includes(session.info?.role ?? ''));
  const open = $derived((watch.value?.items ?? []).filter((item) => !item.set_aside));
  const aside = $derived((watch.value?.items ?? []).filter((item) => item.set_aside));
  let asking = $state('');
  let why = $state('');
  let refused = $state<Problem | null>(null);
  const mayPublish = $derived(['publisher', 'operator'].includes(session.info?.role ?? ''));
  let enforcing = $state('');

  function read(): void {
    void watch.run((signal) => watching.look(signal));
    void shadow.run(async (signal) => (await watching.shadowPolicies(signal)).items);
  }
  function enforced(): void {
    enforcing = '';
    read();
  }

  /** Where a thing is looked into. */
  function place(item: WatchItem): string {
    const [kind = '', first = '', second = ''] = item.key.split(':');
    if (kind === 'cause') return '#/causes';
    if (kind === 'shadow' || kind === 'active') return `#/rulebook/policy/${encodeURIComponent(first)}`;
    if (kind === 'membership') return `#/inventory/people/${encodeURIComponent(first)}`;
    if (kind === 'review') return `#/rulebook/policy/${encodeURIComponent(first)}/sheet`;
    if (kind === 'guarantee') return '#/proofs';
    if (kind === 'held') return '#/sessions';
    if (kind === 'feed') return '#/settings/feeds';
    if (kind === 'token') return '#/settings/tokens';
    if (kind === 'rehearsal' || kind === 'lint') return second.startsWith('policies.') ? `#/rulebook/policy/${encodeURIComponent(second.split(/[.[]/)[1] ?? '')}` : '#/rulebook';
    return '#/settings';
  }
  async function set(item: { key: string; mark: string }, reason: string): Promise<void> {
    refused = null;
    try {
      watch.value = await watching.setAside({ key: item.key, mark: item.mark, why: reason });
      [asking, why] = ['', ''];
    } catch (error) {
      if (!(error instanceof Failure)) throw error;
      refused = error.problem;
    }
  }
</script>

{#snippet thing(item: WatchItem)}
  <li class="grid grid-cols-[minmax(0,1fr)_auto] items-baseline gap-x-3 border-b border-rule py-1.5 sm:grid-cols-[6.5rem_minmax(0,1fr)_auto]">
    <span class="col-span-2 text-small sm:col-span-1 {item.state === 'wrong' && !item.set_aside ? 'font-semibold text-blocked' : 'text-muted'}">{item.state === 'wrong' ? '✕ ' : item.state === 'due' ? '◷ ' : '· '}{WORDS[item.state] ?? item.state}</span>
    <div>
      <a href={place(item)} class="text-ink underline decoration-rule-strong underline-offset-3"><Sentence pieces={item.says.map((piece) => ({ text: piece.text }))} /></a>
      {#if item.detail}<p class="text-small text-muted">{item.detail}</p>{/if}
      {#if item.set_aside}<p class="text-small text-muted">Set aside by {item.by}: {item.set_aside}</p>{/if}
      {#if asking === item.key}
        <form class="mt-1 flex gap-1" onsubmit={(event) => (event.preventDefault(), void set(item, why))}>
          <label class="grow text-small"><span class="sr-only">Why it is set aside</span><input class="field" bind:value={why} maxlength="500" placeholder="why, for those who look next" /></label>
          <button class="action" disabled={!why.trim()}>Set aside until it changes</button>
        </form>
      {/if}
    </div>
    {#if may}
      {#if item.set_aside}<button class="action" onclick={() => set(item, '')}>Take up again</button>
      {:else}<button class="action" aria-expanded={asking === item.key} onclick={() => ((asking = asking === item.key ? '' : item.key), (why = ''))}>Set aside …</button>{/if}
    {/if}
  </li>
{/snippet}

<Heading place="Watch">
  <span aria-live="polite">{watch.value ? watch.value.sentence : 'Is anything wrong?'}</span>
</Heading>
{#if watch.problem}<Failing problem={watch.problem} again={() => void watch.run((signal) => watching.look(signal))} />
{:else if !watch.value}<Waiting lines={8} />
{:else}
  {#if watch.value.first_steps?.length}
    <FirstSteps steps={watch.value.first_steps} {may} skip={(step, reason) => void set({ key: `first-step:${step.name}`, mark: '' }, reason)} />
  {/if}
  {#if watch.value.days.length}<Outcomes days={watch.value.days} />{/if}
  {#if refused}<Failing problem={refused} />{/if}
  <ul class="mt-6 border-t-2 border-ink" aria-label="What is wrong, due or worth a look">
    {#each open as item (item.key)}{@render thing(item)}{:else}<li class="py-2 text-muted">Nothing.</li>{/each}
  </ul>
  {#if aside.length}
    <details class="mt-3"><summary class="cursor-pointer text-small text-accent">{count(aside.length, 'thing is', 'things are')} set aside</summary>
      <ul aria-label="What is set aside">{#each aside as item (item.key)}{@render thing(item)}{/each}</ul></details>
  {/if}
  {#if shadow.value?.length}
    <h2 class="mt-8 mb-1 border-t-2 border-ink pt-3 text-lead font-semibold">Policies in shadow</h2>
    <table class="ruled">
      <thead><tr><th>Policy</th><th>Since</th><th class="text-right!">Would block</th><th class="text-right!">Would challenge</th><th class="text-right!">People</th><th>Ready to be enforced?</th></tr></thead>
      <tbody>
        {#each shadow.value as policy (policy.policy)}
          <tr>
            <td><a href="#/rulebook/policy/{encodeURIComponent(policy.policy)}">{policy.title}</a></td>
            <td class="whitespace-nowrap">{policy.since.slice(0, 10)}</td>
            <td class="text-right! tabular-nums">{number(policy.blocked)}</td><td class="text-right! tabular-nums">{number(policy.challenged)}</td><td class="text-right! tabular-nums">{number(policy.people.length)}</td>
            <td>
              <p><strong>{policy.ready ? 'Yes' : 'No'}</strong>: {policy.why}.</p>
              {#if mayPublish}<button class="action mt-1" aria-expanded={enforcing === policy.policy} onclick={() => (enforcing = enforcing === policy.policy ? '' : policy.policy)}>Enforce it …</button>{/if}</td>
          </tr>
          {#if enforcing === policy.policy}
            <tr><td colspan="6">
              <EditBox says="{policy.title}: enforced, in one revision." edits={[{ path: `policies.${policy.policy}`, field: 'mode', value: 'enforced' }]} done={enforced} cancel={() => (enforcing = '')} />
            </td></tr>
          {/if}
        {/each}
      </tbody>
    </table>
  {/if}
{/if}
