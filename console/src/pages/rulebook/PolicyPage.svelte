<script lang="ts">
  // One policy: its sentence, its rules with what blocked people are told, and the parts it is built from.
  import { api } from '../../lib/api/client';
  import type { PolicyView } from '../../lib/api/types';
  import { keepText, linkTo, moment } from '../../lib/format';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import Mark from '../../lib/parts/Mark.svelte';
  import Sentence from '../../lib/parts/Sentence.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import EditBox from '../../lib/parts/EditBox.svelte';
  import { change } from '../../lib/state/changing';
  import { Load } from '../../lib/state/load.svelte';
  import { session } from '../../lib/state/session.svelte';
  import Adds from './Adds.svelte';

  let { params }: { params: { id: string } } = $props();
  const policy = new Load<PolicyView>();
  $effect(() => {
    const id = params.id;
    void policy.run(() => api.policy(id));
  });
  let widening = $state(false);
  const mayWrite = $derived(session.info?.role !== 'viewer');
  const mayPublish = $derived(session.info?.role === 'publisher' || session.info?.role === 'operator');
  const SCOPE = [
    ['people', 'People'],
    ['except_people', 'Except'],
    ['apps', 'Apps'],
    ['except_apps', 'Except apps'],
    ['operations', 'Operations'],
  ] as const;
</script>

{#if policy.problem}
  <Heading place="Policy">This policy cannot be shown.</Heading>
  <Failing problem={policy.problem} />
{:else if policy.value}
  {@const it = policy.value}
  <Heading place="Policy · {it.id}">
    {it.title}
    {#snippet aside()}
      {#if mayWrite}<button class="action" onclick={() => change(`policies.${it.id}`)}>Change it</button>{/if}
      {#if mayPublish && !it.people.includes('everyone')}<button class="action" onclick={() => (widening = true)}>To everyone …</button>{/if}
      <a class="action" href="#/rulebook/policy/{encodeURIComponent(it.id)}/sheet">Sheet for a reviewer</a>
      <a class="action" href="#/signins?policy={encodeURIComponent(it.id)}">Sign-ins it decided</a>
    {/snippet}
  </Heading>
  {#if widening}
    <EditBox
      says="“{it.title}” applies to everyone instead of {it.people.join(', ')}; whom it leaves out stays left out."
      edits={[{ path: `policies.${it.id}`, field: 'people', value: null }]}
      done={() => {
        widening = false;
        void policy.run(() => api.policy(it.id));
      }}
      cancel={() => (widening = false)}
    />
  {/if}
  <p class="mb-4 flex flex-wrap gap-x-5 text-small text-muted">
    <Mark value={it.mode} />
    {#if it.owner}<span>Owner: {it.owner}</span>{/if}
    {#if it.labels.length}<span>Labels: {it.labels.join(', ')}</span>{/if}
    {#if it.active.from}<span>From {moment(it.active.from)}</span>{/if}
    {#if it.active.until}<span>Until {moment(it.active.until)}</span>{/if}
  </p>
  <p class="max-w-[80ch] text-lead"><Sentence pieces={it.sentence} /></p>
  {#if it.why}<p class="mt-2 max-w-[80ch] text-muted">Why: {it.why}</p>{/if}
  {#if it.note}<p class="mt-2 max-w-[80ch] text-muted">{it.note}</p>{/if}

  <div class="mt-7 grid gap-x-10 gap-y-6 lg:grid-cols-[minmax(0,1fr)_19rem]">
    <section>
      <h2 class="mb-1 text-lead font-semibold">Rules, the first that matches speaks</h2>
      <ol>
        {#each it.rules as rule, i (rule.id)}
          <li class="border-t border-rule py-3">
            <p class="flex flex-wrap gap-x-3"><span class="text-muted">{i + 1}</span><span class="font-medium">{rule.title || rule.id}</span></p>
            <dl class="mt-1 grid grid-cols-[4rem_minmax(0,1fr)] gap-x-3 gap-y-1 text-small">
              <dt class="text-muted">When</dt>
              <dd class="font-mono wrap-anywhere">{rule.when || 'always'}</dd>
              <dt class="text-muted">Then</dt>
              <dd class="font-mono font-semibold wrap-anywhere">{rule.then}</dd>
              {#if Object.keys(rule.keep).length}<dt class="text-muted">Keep</dt><dd>{keepText(rule.keep)}</dd>{/if}
              {#if rule.tell}
                <dt class="text-muted">Tell</dt>
                <dd class="border-l-2 border-rule-strong pl-3">
                  {rule.tell}
                  {#if rule.link}<a class="wrap-anywhere" href={rule.link} rel="noreferrer noopener" target="_blank">{rule.link}</a>{/if}
                </dd>
              {/if}
            </dl>
          </li>
        {/each}
      </ol>
      {#key it.id}<Adds policy={it.id} enforced={it.mode === 'enforced'} />{/key}
      <details class="mt-3">
        <summary class="text-small font-medium text-accent">As it stands in the rulebook</summary>
        <!-- svelte-ignore a11y_no_noninteractive_tabindex: a region that scrolls must be reachable by keyboard -->
        <pre class="mt-2 overflow-x-auto bg-sunk p-3 font-mono text-fine" tabindex="0" role="region" aria-label="Source">{it.source}</pre>
      </details>
    </section>
    <aside class="text-small">
      <h2 class="mb-2 text-lead font-semibold">Whom and what</h2>
      <dl class="grid grid-cols-[5.5rem_minmax(0,1fr)] gap-x-3 gap-y-1">
        {#each SCOPE as [key, word] (key)}
          {#if it[key].length}<dt class="text-muted">{word}</dt><dd class="wrap-anywhere">{it[key].join(', ')}</dd>{/if}
        {/each}
        {#if it.contact}<dt class="text-muted">Contact</dt><dd class="wrap-anywhere">{it.contact}</dd>{/if}
      </dl>
      <h2 class="mt-6 mb-2 text-lead font-semibold">Built from</h2>
      {#each it.parts as part (part.kind + part.id)}
        <p class="border-t border-rule py-1.5">
          <a href={linkTo(part.kind, part.id)}>{part.title}</a> <span class="text-muted">{part.kind}</span>
        </p>
      {:else}
        <p class="text-muted">It names no part of the rulebook.</p>
      {/each}
    </aside>
  </div>
{:else}
  <Heading place="Policy">Loading …</Heading>
  <Waiting lines={10} />
{/if}
