<script lang="ts">
  // All policies of a trace: the deciding ones open, those that said something folded, the silent ones in one list.
  import { Collapsible } from 'bits-ui';
  import ChevronRight from '@lucide/svelte/icons/chevron-right';
  import type { Decision, Trace } from '../api/types';
  import { count, linkTo, plain } from '../format';
  import Mark from './Mark.svelte';
  import PolicySteps from './PolicySteps.svelte';

  let { trace, decision }: { trace: Trace; decision: Decision } = $props();
  const rules = (id: string) => decision.deciding.filter((ref) => ref.policy === id).map((ref) => ref.rule);
  const deciding = $derived(trace.policies.filter((policy) => rules(policy.policy).length));
  const others = $derived(trace.policies.filter((policy) => !rules(policy.policy).length));
  const spoke = $derived(others.filter((p) => p.mode !== 'off' && p.effects.some((effect) => effect.rule !== null)));
  const silent = $derived(others.filter((policy) => !spoke.includes(policy)));
</script>

{#snippet trigger(text: string)}
  <Collapsible.Trigger class="group flex items-center gap-1.5 text-small font-medium text-accent">
    <ChevronRight size={14} class="transition-transform group-data-[state=open]:rotate-90" aria-hidden="true" />{text}
  </Collapsible.Trigger>
{/snippet}

{#each deciding as policy (policy.policy)}
  <PolicySteps {policy} {trace} deciding={rules(policy.policy)} />
{/each}
{#if spoke.length}
  <Collapsible.Root class="mb-3">
    {@render trigger(`${count(spoke.length, 'other policy', 'other policies')} had something to say`)}
    <Collapsible.Content class="mt-3 ml-5">
      {#each spoke as policy (policy.policy)}<PolicySteps {policy} {trace} />{/each}
    </Collapsible.Content>
  </Collapsible.Root>
{/if}
{#if silent.length}
  <Collapsible.Root class="mb-3">
    {@render trigger(`${count(silent.length, 'policy', 'policies')} had nothing to say, and why`)}
    <Collapsible.Content class="mt-2 ml-5">
      <table class="ruled">
        <thead class="sr-only"><tr><th>Policy</th><th>Mode</th><th>Why it had nothing to say</th></tr></thead>
        <tbody>
          {#each silent as policy (policy.policy)}
            <tr>
              <td class="w-1/2"><a href={linkTo('policy', policy.policy)}>{policy.title || policy.policy}</a></td>
              <td><Mark value={policy.mode} size={10} /></td>
              <td class="text-muted">{plain(policy.summary ?? [])}</td>
            </tr>
          {/each}
        </tbody>
      </table>
    </Collapsible.Content>
  </Collapsible.Root>
{/if}
