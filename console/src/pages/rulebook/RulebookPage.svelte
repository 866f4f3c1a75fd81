<script lang="ts">
  // The policies as plain sentences, and the parts that they are built from.
  import Starts from './Starts.svelte';
  import { router, replace } from 'svelte-spa-router';
  import { api } from '../../lib/api/client';
  import type { RulebookView } from '../../lib/api/types';
  import { count, linkTo, moment, plain, UNNAMED } from '../../lib/format';
  import { rows } from '../../lib/keys';
  import Failing from '../../lib/parts/Failing.svelte';
  import Finding from '../../lib/parts/Finding.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import Mark from '../../lib/parts/Mark.svelte';
  import Sentence from '../../lib/parts/Sentence.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import EditBox from '../../lib/parts/EditBox.svelte';
  import { change } from '../../lib/state/changing';
  import { Load } from '../../lib/state/load.svelte';
  import { session } from '../../lib/state/session.svelte';

  const view = new Load<RulebookView>();
  const load = () => void view.run(() => api.rulebook());
  load();
  const search = $derived(new URLSearchParams(router.querystring ?? '').get('search') ?? '');
  const wanted = $derived(search.trim().toLowerCase());
  const policies = $derived(
    (view.value?.policies ?? []).filter((policy) =>
      `${policy.id} ${policy.title} ${plain(policy.sentence)} ${policy.labels.join(' ')}`.toLowerCase().includes(wanted),
    ),
  );
  const parts = $derived(
    (view.value?.parts ?? []).filter((part) => `${part.kind} ${part.id} ${part.title}`.toLowerCase().includes(wanted)),
  );
  const inMode = (mode: string) => view.value?.policies.filter((policy) => policy.mode === mode).length ?? 0;
  const findings = $derived((view.value?.diagnostics ?? []).filter((found) => found.severity === 'warning' || found.accepted));

  let choosing = $state(false);
  let chosen = $state<string[]>([]);
  let mode = $state('enforced');
  const mayWrite = $derived(session.info?.role !== 'viewer');
  const mayPublish = $derived(session.info?.role === 'publisher' || session.info?.role === 'operator');
  const write = () => change(`${UNNAMED}${(view.value?.policies.length ?? 0) + 1}`);

  function find(event: Event & { currentTarget: HTMLInputElement }): void {
    const text = event.currentTarget.value;
    void replace(text ? `/rulebook?search=${encodeURIComponent(text)}` : '/rulebook');
  }
</script>

{#if view.problem?.code === 'no-rulebook'}
  <Starts done={load} />
{:else if view.problem && !view.value}
  <Heading place="Rulebook">The rulebook could not be loaded.</Heading>
  <Failing problem={view.problem} again={load} />
{:else if view.value}
  {@const info = view.value.revision}
  <Heading place="Rulebook">
    {count(view.value.policies.length, 'policy', 'policies')}: {inMode('enforced')} enforced, {inMode('shadow')} in shadow,
    {inMode('off')} off.
    {#snippet aside()}
      <a class="action" href="#/proofs">What is proven</a>
      {#if mayWrite}<button class="action" onclick={write}>Write a policy</button>{/if}
      {#if mayPublish}<button class="action" aria-pressed={choosing} onclick={() => (choosing = !choosing)}>Modes …</button>{/if}
      <input
        data-search
        class="field w-56!"
        type="search"
        placeholder="Find a policy or part  ( / )"
        aria-label="Find a policy or part"
        value={search}
        oninput={find}
        onkeydown={(event) => event.key === 'Escape' && event.currentTarget.blur()}
      />
    {/snippet}
  </Heading>
  {#if choosing}
    <div class="mb-3 flex flex-wrap items-center gap-3 text-small">
      <label>Put those chosen below into the mode <select class="field w-auto!" bind:value={mode}>{#each ['enforced', 'shadow', 'off'] as each (each)}<option>{each}</option>{/each}</select></label>
      <button class="action" onclick={() => (chosen = chosen.length < policies.length ? policies.map(({ id }) => id) : [])}>All shown, or none</button>
    </div>
    <EditBox
      says="{count(chosen.length, 'policy', 'policies')} {mode}, in one revision."
      edits={chosen.map((id) => ({ path: `policies.${id}`, field: 'mode', value: mode }))}
      done={() => {
        choosing = false;
        chosen = [];
        load();
      }}
      cancel={() => (choosing = false)}
    />
  {/if}
  {#if info}
    <p class="-mt-2 mb-5 text-small text-muted">
      Revision {info.number}, published {moment(info.published_at)} UTC by {info.published_by}: “{info.why}”
    </p>
  {/if}
  {#if findings.length}
    <ul class="mb-5 border-l-4 border-challenged bg-challenged-soft px-4 py-2 text-small">
      {#each findings as found, i (`${found.code} ${found.path} ${i}`)}<Finding {found} where />{/each}
    </ul>
  {/if}
  <div {@attach rows}>
    {#each policies as policy (policy.id)}
      <article class="grid gap-x-6 border-b border-rule py-3 md:grid-cols-[7.5rem_minmax(0,1fr)]">
        <div class="pt-0.5 text-small">
          {#if choosing}<input type="checkbox" class="mr-1" aria-label="Choose {policy.title}" value={policy.id} bind:group={chosen} />{/if}<Mark value={policy.mode} /></div>
        <div>
          <h2 class="font-semibold">
            <a data-row href={linkTo('policy', policy.id)}>{policy.title}</a>
          </h2>
          <p class="max-w-[84ch]"><Sentence pieces={policy.sentence} /></p>
        </div>
      </article>
    {:else}
      <p class="py-4 text-muted">No policy speaks of “{search}”.</p>
    {/each}
  </div>
  {#if parts.length}
    <h2 class="mt-8 mb-2 text-lead font-semibold">Parts</h2>
    <table class="ruled max-w-4xl">
      <thead><tr><th>Kind</th><th>Part</th><th>Made of</th><th class="text-right!">Used by</th></tr></thead>
      <tbody>
        {#each parts as part (part.kind + part.id)}
          <tr>
            <td class="text-muted">{part.kind}</td>
            <td><a href={linkTo(part.kind, part.id)}>{part.title}</a></td>
            <td class="text-muted">
              {part.lines.slice(0, 2).map((line) => `${line.label}: ${line.value}`).join(' · ')}{part.lines.length > 2 ? ' …' : ''}
            </td>
            <td class="text-right!">{part.used_by.length || 'nothing'}</td>
          </tr>
        {/each}
      </tbody>
    </table>
  {/if}
{:else}
  <Heading place="Rulebook">Loading the rulebook …</Heading>
  <Waiting lines={14} />
{/if}
