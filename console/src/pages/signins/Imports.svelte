<script lang="ts">
  // What was taken into the log, import by import: how much each brought, and taking it back.
  import { onDestroy } from 'svelte';
  import { imports } from '../../lib/api/imports';
  import type { ImportList, Job, LogImport } from '../../lib/api/types';
  import { count, moment, number } from '../../lib/format';
  import Failing from '../../lib/parts/Failing.svelte';
  import TwoSteps from '../../lib/parts/TwoSteps.svelte';
  import { Act } from '../../lib/state/act.svelte';
  import { follow } from '../../lib/state/job';
  import { Load } from '../../lib/state/load.svelte';
  import { session } from '../../lib/state/session.svelte';

  /** Another value has the list read anew. */
  let { after }: { after: unknown } = $props();
  const list = new Load<ImportList>();
  const acting = new Act();
  let job = $state<Job | null>(null);
  let gone = false;
  onDestroy(() => (gone = true));
  const read = () => list.run((signal) => imports.list(signal));
  $effect(() => {
    void after;
    void read();
  });
  const days = (of: LogImport) => [...new Set([of.first, of.last].map((at) => at?.slice(0, 10)))].filter(Boolean).join(' to ');
  const told = $derived(job?.result as { number: number; count: number } | undefined);

  async function takeBack(of: LogImport): Promise<void> {
    await acting.run(async () => {
      await follow(await imports.takeBack(of.number), (now) => (job = now), () => !gone);
      await read();
    });
  }
</script>

{#if list.value?.items.length}
  <section class="mt-8" aria-labelledby="imports">
    <h2 id="imports" class="mb-1 border-t-2 border-ink pt-3 text-lead font-semibold">What was taken in before</h2>
    <p class="mb-2 text-small text-muted" aria-live="polite">
      {#if told}{count(told.count, 'sign-in')} of import {told.number} {told.count === 1 ? 'was' : 'were'} taken out.
      {:else if job && !job.problem}Taking it back: {number(job.done)} of {number(job.total)} …
      {:else}An import can be taken back whole: the log is then as if it had never been.{/if}
    </p>
    {#if acting.refused}<Failing problem={acting.refused} />{/if}
    {#if job?.problem}<Failing problem={job.problem} />{/if}
    <!-- svelte-ignore a11y_no_noninteractive_tabindex: a region that scrolls must be reachable by keyboard -->
    <div class="relative overflow-x-auto" tabindex="0" role="region" aria-label="Imports">
      <table class="ruled min-w-[48rem]">
        <thead><tr><th>Import</th><th>Began (UTC)</th><th class="text-right!">Added</th><th>Sign-ins of</th><th>Beside</th><th><span class="sr-only">Take back</span></th></tr></thead>
        <tbody>
          {#each list.value.items as each (each.number)}
            <tr class="align-top">
              <td>{each.number}{each.name ? ` · ${each.name}` : ''}{#if each.mapping}<span class="block text-fine text-muted">read as {each.mapping}</span>{/if}</td>
              <td>{moment(each.began)}<span class="block text-fine text-muted">{each.by}</span></td>
              <td class="text-right tabular-nums">{number(each.added)}</td>
              <td>{days(each)}</td>
              <td class="text-fine text-muted">
                {[
                  each.already_there && `${number(each.already_there)} there already`,
                  each.conflicting && `${number(each.conflicting)} with other content`,
                  each.broken && `${number(each.broken)} broken`,
                  !each.ended && 'not at its end',
                ].filter(Boolean).join(', ')}
              </td>
              <td class="text-right">
                {#if each.taken_back}<span class="text-fine text-muted">taken back by {each.taken_back_by}, {moment(each.taken_back)}</span>
                {:else if session.info?.role === 'operator'}<TwoSteps word="Take back" label="Take back … import {each.number}" sure="Take out {count(each.added, 'sign-in')}" act={() => takeBack(each)} />{/if}
              </td>
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
  </section>
{/if}
