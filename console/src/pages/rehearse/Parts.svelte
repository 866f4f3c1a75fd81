<script lang="ts">
  // The policies of a rehearsal: in the order of the sign-in, as one list, or with every test.
  import { ToggleGroup } from 'bits-ui';
  import type { Rehearsal } from '../../lib/api/types';
  import { linkTo } from '../../lib/format';
  import Mark from '../../lib/parts/Mark.svelte';
  import Policies from '../../lib/parts/Policies.svelte';
  import Sentence from '../../lib/parts/Sentence.svelte';

  let { answer }: { answer: Rehearsal } = $props();
  const VIEWS: [string, string][] = [
    ['order', 'In the order of the sign-in'],
    ['list', 'As a list'],
    ['tests', 'With every test'],
  ];
  let view = $state('tests');
  const deciding = $derived(new Set(answer.decision.deciding.map((each) => each.policy)));
</script>

<div class="mt-6 mb-2 flex flex-wrap items-baseline gap-x-6 gap-y-1 border-t-2 border-ink pt-3">
  <h2 class="text-lead font-semibold">How it is decided{#if !answer.cases.settled}<span class="font-normal text-muted">{' '}if nothing more is reported</span>{/if}</h2>
  <ToggleGroup.Root type="single" bind:value={() => view, (to) => to && (view = to)} class="flex text-small" aria-label="How the policies are shown">
    {#each VIEWS as [key, word] (key)}
      <ToggleGroup.Item value={key} class="border border-l-0 border-rule-strong px-2 py-0.5 first:border-l data-[state=on]:bg-accent-soft data-[state=on]:font-semibold">{word}</ToggleGroup.Item>
    {/each}
  </ToggleGroup.Root>
</div>
{#if view === 'tests'}
  <Policies trace={answer.trace} decision={answer.decision} />
{:else if view === 'list'}
  <table class="ruled">
    <thead><tr><th>Policy</th><th>Mode</th><th>Its part in it</th></tr></thead>
    <tbody>
      {#each answer.trace.policies as policy (policy.policy)}
        <tr>
          <td class="w-2/5"><a href={linkTo('policy', policy.policy)}>{policy.title || policy.policy}</a></td>
          <td><Mark value={policy.mode} size={10} /></td>
          <td class="text-muted"><Sentence pieces={policy.summary ?? []} />{#if deciding.has(policy.policy)}{' '}<span class="bg-ink px-1.5 text-fine text-paper">decides</span>{/if}</td>
        </tr>
      {/each}
    </tbody>
  </table>
{:else}
  <ol>
    {#each answer.stages as stage (stage.stage)}
      <li class="mb-4">
        <h3 class="mb-1 border-b border-rule text-small font-semibold">{stage.title}</h3>
        <ul>
          {#each stage.parts as part, i (i)}
            <li class="py-1 text-small">
              {#if part.policy}<a href={linkTo('policy', part.policy)}>{part.title}</a> <span class="text-muted">/ {part.rule}</span>{' '}{/if}
              {#if part.mode !== 'enforced'}<span class="text-fine"><Mark value={part.mode} size={10} /></span>{' '}{/if}
              {#if part.decides}<span class="bg-ink px-1.5 text-fine text-paper">decides</span>{' '}{/if}
              <span class="block pl-4">{#if part.perhaps}<span class="text-challenged">perhaps:&nbsp;</span>{/if}<Sentence pieces={part.says} /></span>
            </li>
          {/each}
        </ul>
      </li>
    {/each}
  </ol>
{/if}
