<script lang="ts">
  // The coverage grid: what sign-ins of each audience can meet at each app, in a context; a cell opens what is behind it.
  import { router } from 'svelte-spa-router';
  import { api } from '../../lib/api/client';
  import { coverage } from '../../lib/api/inventory';
  import type { CellDetail, CoverageGrid, DraftList, GridRequest, RulebookView } from '../../lib/api/types';
  import { count, typed } from '../../lib/format';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import Mark from '../../lib/parts/Mark.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import { session } from '../../lib/state/session.svelte';
  import { bare, condition, link, moved, summary } from './coverage';
  import Ends from './Ends.svelte';

  const asked = Object.fromEntries(new URLSearchParams(router.querystring ?? ''));
  const grid = new Load<CoverageGrid>();
  const cell = new Load<CellDetail>();
  const view = new Load<RulebookView>();
  const drafts = new Load<DraftList>();
  let device = $state(asked.device ?? '');
  let place = $state(asked.place ?? '');
  let risk = $state(asked.risk ?? 'none');
  let methods = $state(asked.methods ?? 'pwd');
  let more = $state(asked.where ?? '');
  let against = $state(asked.against ?? '');
  let opened = $state<{ audience: string; app: string } | null>(asked.audience && asked.app ? { audience: asked.audience, app: asked.app } : null);
  void view.run((signal) => api.rulebook(undefined).then((found) => (signal.aborted ? found : found)));
  const standards = $derived((view.value?.parts ?? []).filter((part) => part.kind === 'standard'));
  const places = $derived((view.value?.parts ?? []).filter((part) => part.kind === 'place'));
  $effect(() => {
    if (session.info && session.info.role !== 'viewer') void drafts.run((signal) => api.drafts(signal));
  });
  const request = $derived<GridRequest>({
    given: { 'auth.methods': methods, ...(risk ? { 'risk.attempt': risk } : {}) },
    where: condition(device, place, more),
    against,
  });
  $effect(() => {
    const wanted = request;
    const params = { device, place, risk, methods, where: more, against, ...(opened ?? {}) };
    const kept = Object.entries(params).filter(([name, value]) => value && !(name === 'risk' && value === 'none') && !(name === 'methods' && value === 'pwd'));
    history.replaceState(history.state, '', `#/coverage${kept.length ? `?${new URLSearchParams(kept).toString()}` : ''}`);
    void grid.run((signal) => coverage.grid(wanted, signal));
  });
  $effect(() => {
    const at = opened;
    const wanted = request;
    if (at) void cell.run((signal) => coverage.cell(wanted, at.audience, at.app, signal));
  });
  const title = (audience: string) => grid.value?.rows.find((row) => row.audience === audience)?.title ?? audience;
  function open(audience: string, app: string): void {
    opened = opened?.audience === audience && opened.app === app ? null : { audience, app };
  }
  // Arrow keys walk from cell to cell.
  function key(event: KeyboardEvent): void {
    const steps: Record<string, [number, number]> = { ArrowRight: [0, 1], ArrowLeft: [0, -1], ArrowDown: [1, 0], ArrowUp: [-1, 0] };
    const step = steps[event.key];
    const here = event.target instanceof HTMLElement ? event.target.dataset.cell?.split(' ').map(Number) : undefined;
    if (!step || !here) return;
    const next = document.querySelector<HTMLElement>(`[data-cell="${(here[0] ?? 0) + step[0]} ${(here[1] ?? 0) + step[1]}"]`);
    if (next) {
      event.preventDefault();
      next.focus();
    }
  }
</script>

<Heading place="Coverage{against ? ` · draft ${against}` : ''}">
  <span aria-live="polite">{#if grid.value}{summary(grid.value, against)}{:else}{grid.problem ? 'The grid cannot be shown.' : 'Going through every case …'}{/if}</span>
</Heading>

<form class="mb-4 flex flex-wrap items-end gap-x-4 gap-y-2 text-small" onsubmit={(event) => event.preventDefault()}>
  <label class="max-w-full min-w-0">Signs in with<select class="field" bind:value={methods}><option value="pwd">a password alone</option><option value="pwd,otp">a password and a one-time code</option><option value="hwk">a security key</option></select></label>
  <label class="max-w-full min-w-0">Device<select class="field" bind:value={device}>
      <option value="">any</option><option value="device.owner is company">one of the company</option><option value="device.owner is personal">one of their own</option><option value="not device.listed">one that nobody knows</option>
      {#each standards as part (part.id)}<option value="device passes {part.id}">one that passes {part.title}</option>{/each}
    </select></label>
  <label class="max-w-full min-w-0">Place<select class="field" bind:value={place}>
      <option value="">any</option>
      {#each places as part (part.id)}<option value="from {part.id}">from {part.title}</option><option value="not from {part.id}">not from {part.title}</option>{/each}
    </select></label>
  <label class="max-w-full min-w-0">Risk<select class="field" bind:value={risk}><option value="none">none</option><option value="low">low</option><option value="medium">medium</option><option value="high">high</option><option value="">any</option></select></label>
  <label class="min-w-48 grow">And where<input class="field font-mono" value={more} onchange={(event) => (more = event.currentTarget.value)} placeholder="such as client.kind is browser" autocomplete="off" spellcheck="false" /></label>
  {#if drafts.value?.items.length}
    <label class="max-w-full min-w-0">Compare with<select class="field" bind:value={against}><option value="">nothing</option>{#each drafts.value.items as each (each.name)}<option value={each.name}>draft {each.name}</option>{/each}</select></label>
  {/if}
</form>

{#if grid.problem}<Failing problem={grid.problem} />{/if}
{#if grid.value}
  {@const it = grid.value}
  <p class="mb-2 flex flex-wrap gap-x-5 text-small text-muted">
    <span>Mildest and strictest outcome:</span><Mark value="allowed" size={10} /><Mark value="challenged" size={10} /><Mark value="blocked" size={10} />
    {#if it.password_alone}<span><strong class="text-ink">!</strong> a password alone is enough somewhere, and no rule asks for more</span>{/if}
    <span class="text-muted">– nobody</span>
  </p>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex: a region that scrolls must be reachable by keyboard -->
  <div class="relative overflow-x-auto" tabindex="0" role="region" aria-label="The grid" aria-busy={grid.busy}>
    <!-- svelte-ignore a11y_no_noninteractive_element_interactions: the cells are buttons; arrows move between them -->
    <table class="ruled" onkeydown={key}>
      <thead>
        <tr><th>Audience</th>{#each it.apps as app (app.id)}<th><a class="text-ink" href="#/inventory/apps/{encodeURIComponent(app.id)}">{app.title}</a></th>{/each}</tr>
      </thead>
      <tbody>
        {#each it.rows as row, i (row.audience)}
          <tr class:text-muted={!row.people}>
            <th class="!border-rule !font-normal !text-ink"><span title={row.audience}>{row.title}</span> <span class="text-muted tabular-nums">{row.people}</span></th>
            {#each row.cells as each, j (j)}
              {@const app = it.apps[j]?.id ?? ''}
              <td class="!p-0">
                <button
                  class="block w-full py-1 pr-1.5 pl-1 text-left hover:bg-sunk aria-[pressed=true]:bg-accent-soft border-l-4 {moved(each) ? 'border-accent' : 'border-transparent'}"
                  data-cell="{i} {j}"
                  aria-label="{row.title} at {it.apps[j]?.title}: {link(each)}{bare(each, it.password_alone) ? ', with a password alone: no rule asks for more in some case' : ''}"
                  aria-pressed={opened?.audience === row.audience && opened?.app === app}
                  onclick={() => open(row.audience, app)}
                ><span aria-hidden="true"><Ends cell={each} password={it.password_alone} />{#if each.instead}&nbsp;→ <Ends cell={{ ...each, possible: each.instead }} password={false} />{/if}</span></button>
              </td>
            {/each}
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
  {#if !it.exact}<p class="mt-2 text-small text-muted">Not all values of some fact were looked at: other outcomes are not excluded.</p>{/if}
{:else if !grid.problem}<Waiting lines={10} />{/if}

{#if opened}
  <section class="mt-6 border-t-2 border-ink pt-3" aria-label="Behind the cell" aria-live="polite">
    <h2 class="text-lead font-semibold">{title(opened.audience)} at {grid.value?.apps.find((app) => app.id === opened?.app)?.title ?? opened.app}</h2>
    {#if cell.problem}<Failing problem={cell.problem} />
    {:else if cell.value && cell.value.audience === opened.audience && cell.value.app === opened.app}
      {#if !cell.value.outcomes.length}<p class="text-muted">Nobody is in it, or nobody can come so.</p>{/if}
      <div class="grid gap-x-8 gap-y-4 md:grid-cols-3">
        {#each cell.value.outcomes as each (each.outcome)}
          <div class="min-w-0 text-small">
            <p class="mt-2"><Mark value={each.outcome} /></p>
            {#if each.deciding.length}
              <p class="text-muted">by {count(each.deciding.length, 'rule')}:</p>
              <ul>{#each each.deciding as rule (rule.policy + rule.rule)}<li><a href="#/rulebook/policy/{encodeURIComponent(rule.policy)}">{view.value?.policies.find((policy) => policy.id === rule.policy)?.title ?? rule.policy}</a> <span class="text-muted">{rule.rule}</span></li>{/each}</ul>
            {:else}<p class="text-muted">by the stance alone: no rule decides.</p>{/if}
            <p class="mt-1"><a href="#/rehearse?{new URLSearchParams(Object.entries(each.facts).filter(([, value]) => typed(value) !== '').map(([name, value]) => [name, typed(value)])).toString()}">A case, as a rehearsal</a></p>
          </div>
        {/each}
      </div>
    {:else}<Waiting lines={3} />{/if}
  </section>
{/if}
