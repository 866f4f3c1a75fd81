<script lang="ts">
  // How one policy was read: its scope in a line, then each rule reached with the truth of its tests.
  import type { PolicyTrace, Trace } from '../api/types';
  import { plain, linkTo } from '../format';
  import ConditionTree from './ConditionTree.svelte';
  import Mark from './Mark.svelte';

  let { policy, trace, deciding = [] }: { policy: PolicyTrace; trace: Trace; deciding?: string[] } = $props();
</script>

<section class="mb-5">
  <div class="flex flex-wrap items-baseline gap-x-3">
    <h3 class="text-body font-semibold"><a href={linkTo('policy', policy.policy)}>{policy.title || policy.policy}</a></h3>
    <span class="text-fine"><Mark value={policy.mode} size={10} /></span>
  </div>
  <p class="text-small text-muted">{plain(policy.summary ?? [])}</p>
  <ol>
    {#each policy.rules as rule (rule.rule)}
      <li class="mt-2 border-l-2 pl-3 {deciding.includes(rule.rule) ? 'border-ink' : 'border-rule'}">
        <p class="flex flex-wrap items-baseline gap-x-2 text-small">
          <span class="font-medium">Rule {rule.rule}</span>
          <Mark value={rule.truth} word={rule.when ? rule.truth : 'always'} size={10} />
          <span class="text-muted">then</span><code class="font-mono wrap-anywhere">{rule.effect}</code>
          {#if deciding.includes(rule.rule)}<span class="bg-ink px-1.5 text-fine text-paper">decided</span>{/if}
        </p>
        {#if rule.when}<ConditionTree tree={rule.when} {trace} />{/if}
      </li>
    {/each}
  </ol>
  {#if policy.not_reached.length && policy.rules.length}
    <p class="mt-1 text-fine text-muted">Not reached: {policy.not_reached.join(', ')}</p>
  {/if}
</section>
