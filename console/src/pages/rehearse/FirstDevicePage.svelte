<script lang="ts">
  // How somebody who has nothing yet gets in: registering, a first factor, the device, and opening an app from it.
  import { untrack } from 'svelte';
  import { router } from 'svelte-spa-router';
  import { api } from '../../lib/api/client';
  import type { FactList, FirstDevice, FirstDeviceStep } from '../../lib/api/types';
  import { linkTo } from '../../lib/format';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import Mark from '../../lib/parts/Mark.svelte';
  import Sentence from '../../lib/parts/Sentence.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import FactField from './fields/FactField.svelte';

  const SHOWN = ['person.id', 'app.id', 'enrolling.factor', 'enrolling.owner', 'enrolling.depth', 'device.platform', 'network.ip'];
  const USUAL: Record<string, string> = { 'enrolling.factor': 'authenticator-app', 'enrolling.owner': 'company', 'enrolling.depth': 'managed' };
  const { draft = '', ...begun } = Object.fromEntries(new URLSearchParams(router.querystring ?? ''));
  // Of a rehearsal that led here who, what and where is taken on; the device that it was about is not the new one.
  let given = $state<Record<string, string>>(Object.fromEntries(Object.entries(begun).filter(([name]) => SHOWN.includes(name))));
  const facts = new Load<FactList>();
  const answer = new Load<FirstDevice>();
  void facts.run(async () => await api.facts(draft));
  const shown = $derived(SHOWN.flatMap((name) => facts.value?.items.find((fact) => fact.name === name) ?? []));

  function ask(): void {
    const asked = $state.snapshot(given);
    void answer.run((signal) => api.firstDevice({ given: asked, draft }, signal));
  }
  $effect(() => {
    const text = new URLSearchParams({ ...given, ...(draft ? { draft } : {}) }).toString();
    untrack(() => {
      history.replaceState(history.state, '', `#/first-device${text ? `?${text}` : ''}`);
      const wait = setTimeout(ask, 180);
      return () => clearTimeout(wait);
    });
  });
  const setMany = (values: Record<string, string>): void => {
    given = Object.fromEntries(Object.entries({ ...given, ...values }).filter(([, value]) => value));
  };
  const link = (step: FirstDeviceStep) => `#/rehearse?${new URLSearchParams({ ...step.given, ...(draft ? { draft } : {}) }).toString()}`;
</script>

<Heading place={draft ? `First device · draft ${draft}` : 'First device'}>
  <span aria-live="polite">{#if answer.value && !answer.problem}<Sentence pieces={answer.value.sentence} />{:else}How does a new hand get in with a first device?{/if}</span>
  {#snippet aside()}<a class="action" href="#/rehearse{draft ? `?draft=${draft}` : ''}">Rehearse</a>{/snippet}
</Heading>

<div class="grid gap-x-10 gap-y-8 lg:grid-cols-[25rem_minmax(0,1fr)]">
  <section aria-label="Who, with what">
    {#each shown as fact (fact.name)}
      {#if facts.value}
        <FactField {fact} facts={facts.value} known={USUAL[fact.name] ?? ''} value={given[fact.name] ?? ''} wrong="" set={(value) => setMany({ [fact.name]: value })} {setMany} />
      {/if}
    {:else}<Waiting lines={8} />{/each}
    <p class="mt-3 text-small text-muted">They begin with a password and nothing else. Each step has what the steps before it gave; where only a starter code gets past, it is told with one.</p>
  </section>
  <section aria-label="The steps" class="min-w-0">
    {#if answer.problem}
      <Failing problem={answer.problem} again={ask} />
      <ul>{#each answer.problem.errors ?? [] as found, i (i)}<li>{found.message}{#if found.hint}&nbsp;— {found.hint}{/if}</li>{/each}</ul>
    {:else if answer.value}
      <ol>
        {#each answer.value.steps as step, i (step.step)}
          <li class="mb-5 border-l-4 pl-4 {step.dead_end ? 'border-blocked' : 'border-rule-strong'}">
            <h2 class="flex flex-wrap items-baseline gap-x-3 text-lead font-semibold">
              {i + 1}. {step.title}
              {#if step.dead_end}<span class="bg-blocked px-1.5 text-fine font-normal text-paper">dead end</span>{/if}
              {#if step.needs_code}<span class="text-small font-normal text-challenged">with a starter code</span>{/if}
            </h2>
            <p class="flex flex-wrap gap-x-4 text-small">{#each step.possible as outcome (outcome)}<Mark value={outcome} size={12} />{/each}{#if !step.exact}<span class="text-muted">others are not excluded</span>{/if}</p>
            <p><Sentence pieces={step.sentence} /></p>
            {#if step.why.length}<p class="text-blocked"><Sentence pieces={step.why} /></p>{/if}
            <p class="text-small text-muted">
              {#each step.deciding as rule (rule.policy + rule.rule)}<a href={linkTo('policy', rule.policy)}>{rule.policy}</a> / {rule.rule}{'; '}{:else}No policy has a say; {/each}<a href={link(step)}>rehearse this step</a>
            </p>
          </li>
        {/each}
      </ol>
    {:else}<Waiting />{/if}
  </section>
</div>
