<script lang="ts">
  // A file of objects taken in: what it would change is shown first, in objects and in outcomes.
  import { inventory, type Noun } from '../../lib/api/inventory';
  import type { PutResult } from '../../lib/api/types';
  import { count } from '../../lib/format';
  import Failing from '../../lib/parts/Failing.svelte';
  import Mark from '../../lib/parts/Mark.svelte';
  import { Act } from '../../lib/state/act.svelte';

  let { noun, done }: { noun: Noun; done: () => unknown } = $props();
  const acting = new Act();
  let files = $state<FileList>();
  let how = $state('patch');
  let plan = $state<PutResult | null>(null);
  let made = $state<PutResult | null>(null);
  let busy = $state(false);
  const file = $derived(files?.[0]);

  async function send(dryRun: boolean): Promise<void> {
    if (!file) return;
    busy = true;
    await acting.run(async () => {
      const result = await inventory.import(noun, file, how, dryRun, dryRun ? 0 : (plan?.removed ?? 0));
      plan = dryRun ? result : null;
      made = dryRun ? null : result;
    });
    busy = false;
    if (made) done();
  }
</script>

<form class="mb-6 border-y border-rule-strong bg-raised px-4 py-4 text-small" onsubmit={(event) => { event.preventDefault(); void send(true); }}>
  <div class="flex flex-wrap items-end gap-x-4 gap-y-2">
    <label>File: CSV, or NDJSON<input type="file" class="block" accept=".csv,.ndjson,.json" bind:files onchange={() => { plan = null; made = null; }} /></label>
    <label>What it does
      <select class="field" bind:value={how} onchange={() => (plan = null)}>
        <option value="patch">changes what it names, leaves the rest</option>
        <option value="replace">replaces the objects it names</option>
        <option value="sync">is the full list: others go</option>
      </select></label>
    <button class="action" disabled={!file || busy}>What would change?</button>
    {#if plan}<button class="action" type="button" disabled={busy} onclick={() => send(false)}>Take it in{plan.removed ? `, and ${plan.removed} out` : ''}</button>{/if}
  </div>
  {#if acting.refused}<div class="mt-3"><Failing problem={acting.refused} /></div>{/if}
  {#if made}<p class="mt-3" role="status">{count(made.added, 'object')} added, {made.changed} changed{made.removed ? `, ${made.removed} taken out` : ''}.</p>{/if}
  {#if plan}
    <div class="mt-3" aria-live="polite">
      <p class="font-semibold">{count(plan.added, 'object')} would be added, {plan.changed} changed{plan.removed ? `, ${plan.removed} taken out` : ''}.
        {#if plan.people}It touches {count(plan.people, 'person', 'people')}: {plan.gaining} meet something milder, {plan.losing} something stricter.{/if}</p>
      {#if plan.says}<p class="mt-1 text-muted">{plan.says}</p>{/if}
      {#each Object.entries(plan.going) as [kind, ids] (kind)}<p class="mt-1">{kind} that would go: {ids.join(', ')}</p>{/each}
      {#each plan.warnings as warning, i (i)}<p class="mt-1 border-l-4 border-challenged pl-2">{warning.message}{warning.hint ? ` — ${warning.hint}` : ''}</p>{/each}
      {#if plan.turned.length}
        <!-- svelte-ignore a11y_no_noninteractive_tabindex: a region that scrolls must be reachable by keyboard -->
        <div class="relative mt-2 max-h-72 overflow-auto" tabindex="0" role="region" aria-label="What turns for whom">
          <table class="ruled">
            <thead><tr><th>Person</th><th>App</th><th>Now</th><th>Then</th></tr></thead>
            <tbody>{#each plan.turned as turned (turned.person + turned.app)}<tr><td>{turned.person}</td><td>{turned.app}</td><td>{#if turned.before}<Mark value={turned.before} size={10} />{/if}</td><td>{#if turned.after}<Mark value={turned.after} size={10} />{/if}</td></tr>{/each}</tbody>
          </table>
        </div>
      {/if}
    </div>
  {/if}
</form>
