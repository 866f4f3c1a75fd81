<script lang="ts">
  // What is needed, in the way, not known, kept and told: the lines under a decision's sentence.
  import type { Decision } from '../api/types';
  import { keepText } from '../format';
  import Mark from './Mark.svelte';

  let { decision, onfact }: { decision: Decision; onfact?: (fact: string) => void } = $props();
  const REASONS: Record<string, string> = {
    effect: 'a policy blocks it',
    closed: 'the app is closed and nothing surely lets them in',
    credentials: 'the credentials were wrong',
    'locked-out': 'too many wrong passwords',
    unmeetable: 'a requirement cannot be met at the door',
  };
  const changed = $derived(
    Object.entries(decision.shadow.each).filter(([, outcome]) => outcome !== decision.outcome),
  );
</script>

<dl class="grid grid-cols-[7rem_minmax(0,1fr)] gap-x-3 gap-y-1.5 text-small">
  {#if decision.reason}<dt class="text-muted">Reason</dt><dd>{REASONS[decision.reason] ?? decision.reason}</dd>{/if}
  {#if decision.outstanding.length}
    <dt class="text-muted">Still needed</dt>
    <dd class="font-mono">{decision.outstanding.join(', ')}</dd>
  {/if}
  {#if decision.in_the_way.length}
    <dt class="text-muted">In the way</dt>
    <dd class="font-mono">{decision.in_the_way.join(', ')}</dd>
  {/if}
  <dt class="text-muted">Certain</dt>
  <dd>
    {#if decision.certain}yes{:else}no: it depends on
      {#each decision.unknown as fact, i (fact)}{i ? ', ' : ''}{#if onfact}<button
            class="font-mono text-accent underline underline-offset-3"
            onclick={() => onfact(fact)}>{fact}</button
          >{:else}<span class="font-mono">{fact}</span>{/if}{/each}{/if}
  </dd>
  {#if Object.keys(decision.keep).length}<dt class="text-muted">Session</dt><dd>{keepText(decision.keep)}</dd>{/if}
  {#each changed as [policy, outcome] (policy)}
    <dt class="text-muted">In shadow</dt>
    <dd><a href="#/rulebook/policy/{policy}">{policy}</a> would make it <Mark value={outcome} size={10} /></dd>
  {/each}
  {#if decision.tell.length}
    <dt class="text-muted">Told</dt>
    <dd>
      {#each decision.tell as tell, i (i)}
        <blockquote class="mb-1 border-l-2 border-rule-strong pl-3">
          {tell.text}
          {#if tell.link}<a href={tell.link} rel="noreferrer noopener" target="_blank" class="wrap-anywhere">{tell.link}</a>{/if}
        </blockquote>
      {/each}
    </dd>
  {/if}
</dl>
