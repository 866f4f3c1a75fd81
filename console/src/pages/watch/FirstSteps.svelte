<script lang="ts">
  // The first steps of a company: what is there already, what comes next; each can be passed over, and taken up again.
  import ArrowRight from '@lucide/svelte/icons/arrow-right';
  import Check from '@lucide/svelte/icons/check';
  import Minus from '@lucide/svelte/icons/minus';
  import type { FirstStep } from '../../lib/api/types';

  let { steps, may, skip }: { steps: FirstStep[]; may: boolean; skip: (step: FirstStep, why: string) => void } = $props();
  const coming = $derived(steps.find((step) => !step.taken && !step.skipped_by)?.name);
  const left = $derived(steps.filter((step) => !step.taken && !step.skipped_by).length);
</script>

<section class="mb-6" aria-labelledby="first-steps">
  <h2 id="first-steps" class="mb-1 text-lead font-semibold">First steps: {left} left</h2>
  <p class="mb-2 text-small text-muted">In any order, and in any way: what is there counts. <a href="/docs/your-own-company" target="_blank" rel="noopener">Your own company, from zero</a> leads through all of it.</p>
  <ol aria-label="First steps">
    {#each steps as step (step.name)}
      <li class="grid grid-cols-[1.5rem_minmax(0,1fr)_auto] items-baseline gap-x-2 border-b border-rule py-1.5">
        <span class="self-center {step.taken ? 'text-allowed' : 'text-muted'}" aria-hidden="true">
          {#if step.taken}<Check size={15} />{:else if step.skipped_by}<Minus size={15} />{:else if step.name === coming}<ArrowRight size={15} />{/if}
        </span>
        <div>
          <a href={step.place} class={step.name === coming ? 'font-semibold' : step.taken || step.skipped_by ? 'text-muted' : ''}>{step.title}</a>
          <span class="sr-only">{step.taken ? 'done' : step.skipped_by ? 'passed over' : 'to do'}</span>
          {#if step.skipped_by}<span class="text-small text-muted">passed over by {step.skipped_by}</span>{/if}
          {#if step.name === coming}<p class="text-small">{step.why}</p><p class="font-mono text-fine text-muted">{step.command}</p>{/if}
        </div>
        {#if may && !step.taken}
          {#if step.skipped_by}<button class="tool" aria-label="Take up again: {step.title}" onclick={() => skip(step, '')}>Take up again</button>
          {:else}<button class="tool" aria-label="Pass over: {step.title}" onclick={() => skip(step, 'passed over')}>Pass over</button>{/if}
        {/if}
      </li>
    {/each}
  </ol>
</section>
