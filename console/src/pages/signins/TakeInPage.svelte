<script lang="ts">
  // The log of another system taken in: which column is what, how it would be read, and what of it nobody knows.
  import { onDestroy } from 'svelte';
  import { api } from '../../lib/api/client';
  import { mappings } from '../../lib/api/mappings';
  import type { FactList, MappingList } from '../../lib/api/types';
  import { count, number } from '../../lib/format';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import Imports from './Imports.svelte';
  import { TakeIn, textOf, wordsOf } from './takein.svelte';

  const BESIDE: [string, string][] = [
    ['id', 'the id of the sign-in'],
    ['recorded.outcome', 'what the other system did'],
    ['recorded.reason', 'why it did so'],
  ];
  const SETS = ['names', 'methods'];
  const WORDED = ['word', 'level', ...SETS];
  const log = new TakeIn();
  onDestroy(() => log.leave());
  const facts = new Load<FactList>();
  const kept = new Load<MappingList>();
  $effect(() => {
    void facts.run(() => api.facts());
    void kept.run((signal) => mappings.list(signal));
  });
  let over = $state(false);
  let files = $state<FileList>();
  let name = $state('');
  const trial = $derived(log.trial.value);
  const typeOf = (to: string) => facts.value?.items.find((fact) => fact.name === to)?.type ?? '';
  const valid = $derived(/^[a-z][a-z0-9-]*$/.test(name));
  const doubtful = $derived(trial ? trial.broken.reduce((sum, kind) => sum + kind.count, 0) : 0);

  function take(list: FileList | null | undefined): void {
    const file = list?.[0];
    if (!file) return;
    name ||= file.name.toLowerCase().replace(/\.(csv|ndjson|jsonl|json|gz)/g, '').replace(/[^a-z0-9]+/g, '-').replace(/^[^a-z]+|-$/g, '');
    void log.choose(file);
  }
  function use(which: string): void {
    const chosen = kept.value?.mappings[which];
    if (!chosen) return;
    name = which;
    log.change(chosen);
  }
  const shown = (value: unknown) => (Array.isArray(value) ? value.join(', ') : value === true ? 'yes' : value === false ? 'no' : typeof value === 'object' ? Object.keys(value ?? {}).join(', ') : String(value));
  const shownFacts = $derived([...new Set((trial?.rows ?? []).flatMap((row) => Object.keys(row.facts)))]);
</script>

<Heading place="Sign-ins · Take in a log">
  <span aria-live="polite">
    {#if log.result}{count(log.result.added, 'sign-in')} taken in{log.result.already_there ? `, ${number(log.result.already_there)} were there already` : ''}.
    {:else if log.job}Taking it in: {Math.round((log.job.done * 100) / Math.max(1, log.job.total))} % …
    {:else if trial}{number(trial.good)} of {count(trial.read, 'row')} {trial.good === 1 ? 'is' : 'are'} read{trial.skipped ? `, ${number(trial.skipped)} passed over` : ''}.
    {:else if log.trial.problem}It cannot be read like that.
    {:else if log.file}Reading its beginning …{:else}Take in the log of another system.{/if}
  </span>
  {#snippet aside()}<a class="action" href="#/signins">The sign-ins</a>{/snippet}
</Heading>

<form
  class="mb-5 border border-dashed px-4 py-4 text-small {over ? 'border-accent bg-accent-soft' : 'border-rule-strong bg-raised'}"
  aria-label="The file"
  ondragover={(event) => { event.preventDefault(); over = true; }}
  ondragleave={() => (over = false)}
  ondrop={(event) => { event.preventDefault(); over = false; take(event.dataTransfer?.files); }}
>
  <label>A CSV or NDJSON file, also compressed with gzip: choose it, or drop it here
    <input type="file" class="mt-1 block" accept=".csv,.ndjson,.jsonl,.json,.gz" bind:files onchange={() => take(files)} /></label>
  <p class="mt-2 text-muted">Its beginning is read and shown; nothing is taken in before you say so.</p>
</form>

{#if log.trial.problem}<Failing problem={log.trial.problem} />{/if}
{#if log.acting.refused}<Failing problem={log.acting.refused} />{/if}
{#if log.job?.problem}<Failing problem={log.job.problem} />{/if}

{#if log.mapping}
  {@const mapping = log.mapping}
  <div class="mb-5 flex flex-wrap items-end gap-3 text-small">
    {#if Object.keys(kept.value?.mappings ?? {}).length}
      <label>Read it as
        <select class="field" onchange={(event) => use(event.currentTarget.value)}><option value="">suggested, or as below</option>{#each Object.keys(kept.value?.mappings ?? {}) as each (each)}<option>{each}</option>{/each}</select></label>
    {/if}
    <label>Time zone of stamps without an offset
      <input class="field" list="zones" value={mapping.zone ?? ''} placeholder="such as Europe/Oslo" onchange={(event) => log.change({ zone: event.currentTarget.value.trim() })} /></label>
    <datalist id="zones">{#each facts.value?.zones ?? [] as zone (zone)}<option>{zone}</option>{/each}</datalist>
    <label>How stamps are written
      <input class="field font-mono" value={mapping.moment ?? ''} placeholder="as RFC 3339 has them" onchange={(event) => log.change({ moment: event.currentTarget.value.trim() })} /></label>
    <label>The same in every row
      <textarea class="field font-mono" rows={Math.max(1, Object.keys(mapping.constants ?? {}).length)} placeholder="client.kind = browser" onchange={(event) => log.change({ constants: wordsOf(event.currentTarget.value) })}>{textOf(mapping.constants)}</textarea></label>
    <label>Keep how it is read as<input class="field" bind:value={name} placeholder="gate-log" /></label>
    <button class="action" type="button" disabled={!valid || log.trial.busy || !!log.trial.problem || (!!log.job && !log.result)} onclick={() => log.takeIn(name)}>Take it in</button>
  </div>
{/if}

{#if trial && log.mapping}
  {@const mapping = log.mapping}
  {#each trial.notes as note (note)}<p class="mb-1 border-l-4 border-challenged pl-2 text-small">{note}</p>{/each}
  {#if doubtful || trial.not_understood.length || trial.unknown.length || trial.respelled.length || trial.twice}
    <section class="mb-6" aria-labelledby="doubts">
      <h2 id="doubts" class="mb-1 border-t-2 border-ink pt-3 text-lead font-semibold">What is to be looked at</h2>
      <ul class="text-small">
        {#each trial.broken as kind (kind.code + kind.fact)}
          <li class="border-b border-rule py-1"><span class="font-semibold text-blocked">{count(kind.count, 'row')} cannot be read.</span> {kind.lines[0]?.message}{kind.lines[0]?.hint ? ` — ${kind.lines[0].hint}` : ''} <span class="text-muted">line {kind.lines.map((line) => line.line).join(', ')}{kind.count > kind.lines.length ? ' …' : ''}</span></li>
        {/each}
        {#each trial.not_understood as word (word.fact + word.word)}
          <li class="border-b border-rule py-1"><code>{word.word}</code> is on no list of <code>{word.fact}</code>, in {count(word.count, 'row')}: say what it is, beside its column.</li>
        {/each}
        {#each trial.unknown as each (each.fact + each.id)}
          <li class="border-b border-rule py-1">The inventory does not know <code>{each.id}</code> (<code>{each.fact}</code>), in {count(each.count, 'row')}{each.hint ? `; ${each.hint}` : ''}</li>
        {/each}
        {#if trial.twice}<li class="border-b border-rule py-1">{count(trial.twice, 'row')} {trial.twice === 1 ? 'has' : 'have'} an id that another has: of each only one would be kept.</li>{/if}
        {#if trial.respelled.length}<li class="border-b border-rule py-1 text-muted">Taken in the inventory’s spelling: {trial.respelled.map((each) => `${each.said} → ${each.taken}`).join(', ')}</li>{/if}
      </ul>
    </section>
  {/if}

  <h2 class="mb-1 border-t-2 border-ink pt-3 text-lead font-semibold">Which column is what</h2>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex: a region that scrolls must be reachable by keyboard -->
  <div class="relative mb-6 overflow-x-auto" tabindex="0" role="region" aria-label="Columns">
    <table class="ruled min-w-[64rem]">
      <thead><tr><th>Column</th><th>Such as</th><th>Is</th><th>Between members</th><th>Words: there = here</th><th>Rows passed over</th></tr></thead>
      <tbody>
        {#each trial.columns as column (column.name)}
          {@const rule = mapping.columns[column.name]}
          <tr class="align-top">
            <td class="font-semibold">{column.name}</td>
            <td class="max-w-[16rem] text-fine text-muted">{column.values.join(' · ')}</td>
            <td>
              <select class="field w-64!" aria-label="What {column.name} is" value={rule?.to ?? ''} onchange={(event) => log.column(column.name, { to: event.currentTarget.value, split: '', words: {} })}>
                <option value="">passed over</option>
                <optgroup label="The sign-in">{#each BESIDE as [to, says] (to)}<option value={to}>{says}</option>{/each}</optgroup>
                <optgroup label="Facts">{#each facts.value?.items ?? [] as fact (fact.name)}<option value={fact.name}>{fact.label} · {fact.name}</option>{/each}</optgroup>
              </select>
            </td>
            <td>{#if rule && SETS.includes(typeOf(rule.to))}<input class="field w-16! font-mono" aria-label="Between members of {column.name}" value={rule.split ?? ''} placeholder="," onchange={(event) => log.column(column.name, { split: event.currentTarget.value })} />{/if}</td>
            <td>{#if rule}<textarea class="field font-mono text-fine" rows={Math.max(1, Object.keys(rule.words ?? {}).length)} aria-label="Words of {column.name}" placeholder={WORDED.includes(typeOf(rule.to)) ? 'totp = otp' : ''} onchange={(event) => log.column(column.name, { words: wordsOf(event.currentTarget.value) })}>{textOf(rule.words)}</textarea>{/if}</td>
            <td><input class="field w-28!" aria-label="Rows are passed over where {column.name} is" value={(mapping.skip?.[column.name] ?? []).join(', ')} onchange={(event) => log.skip(column.name, event.currentTarget.value)} /></td>
          </tr>
        {/each}
      </tbody>
    </table>
  </div>

  <h2 class="mb-1 border-t-2 border-ink pt-3 text-lead font-semibold">As the first {trial.rows.length} would be read</h2>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex: a region that scrolls must be reachable by keyboard -->
  <div class="relative overflow-x-auto" tabindex="0" role="region" aria-label="The first rows">
    <table class="ruled text-fine">
      <thead><tr><th>Line</th>{#each shownFacts as fact (fact)}<th class="font-mono">{fact}</th>{/each}<th>recorded</th></tr></thead>
      <tbody>
        {#each trial.rows as row (row.line)}
          <tr>
            <td class="tabular-nums">{row.line}</td>
            {#if row.problems.length}<td class="text-blocked" colspan={shownFacts.length + 1}>{row.problems.join('; ')}</td>
            {:else}{#each shownFacts as fact (fact)}<td>{fact in row.facts ? shown(row.facts[fact]) : ''}</td>{/each}<td>{Object.values(row.recorded).join(', ')}</td>{/if}
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
{/if}
<Imports after={log.result} />
