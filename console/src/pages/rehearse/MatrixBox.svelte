<script lang="ts">
  // What can come of every combination of two facts; each cell opens as a rehearsal.
  import { api } from '../../lib/api/client';
  import type { FactView, Matrix } from '../../lib/api/types';
  import Failing from '../../lib/parts/Failing.svelte';
  import Mark from '../../lib/parts/Mark.svelte';
  import { Load } from '../../lib/state/load.svelte';

  let { facts, given, draft, matters }: { facts: FactView[]; given: Record<string, string>; draft: string; matters: string[] } = $props();
  const table = new Load<Matrix>();
  let across = $state('');
  let down = $state('');
  let acrossValues = $state('');
  let downValues = $state('');
  const first = $derived(facts.filter((fact) => matters.includes(fact.name)));
  const others = $derived(facts.filter((fact) => !matters.includes(fact.name)));
  const split = (text: string) => text.split(',').map((each) => each.trim()).filter(Boolean);

  function show(event: SubmitEvent): void {
    event.preventDefault();
    const rest = Object.fromEntries(Object.entries(given).filter(([name]) => name !== across && name !== down));
    void table.run((signal) =>
      api.matrix(
        { given: rest, draft, across: { fact: across, values: split(acrossValues) }, ...(down ? { down: { fact: down, values: split(downValues) } } : {}) },
        signal,
      ),
    );
  }
  function link(column: string, row: string): string {
    const cell = { ...given, [table.value?.across ?? '']: column, ...(table.value?.down ? { [table.value.down]: row } : {}), ...(draft ? { draft } : {}) };
    return `#/rehearse?${new URLSearchParams(cell).toString()}`;
  }
</script>

<details class="mt-6 border-t-2 border-ink pt-3">
  <summary class="cursor-pointer text-lead font-semibold">A table of two facts</summary>
  <form class="my-3 grid max-w-3xl gap-3 sm:grid-cols-2" onsubmit={show}>
    {#each [['Across', 'across'], ['Down', 'down']] as [word, which] (which)}
      <div class="text-small">
        <label for="matrix-{which}">{word}</label>
        <select id="matrix-{which}" class="field" bind:value={() => (which === 'across' ? across : down), (to) => (which === 'across' ? (across = to) : (down = to))}>
          <option value="">{which === 'across' ? 'choose …' : 'nothing'}</option>
          {#if first.length}<optgroup label="It turns on">{#each first as fact (fact.name)}<option value={fact.name}>{fact.label || fact.name}</option>{/each}</optgroup>{/if}
          <optgroup label="Others">{#each others as fact (fact.name)}<option value={fact.name}>{fact.label || fact.name}</option>{/each}</optgroup>
        </select>
        <input
          class="field mt-1"
          aria-label="{word}: values"
          placeholder="its values, with commas; empty: all that count"
          autocomplete="off"
          bind:value={() => (which === 'across' ? acrossValues : downValues), (to) => (which === 'across' ? (acrossValues = to) : (downValues = to))}
        />
      </div>
    {/each}
    <div><button class="action" disabled={!across}>Show the table</button></div>
  </form>
  {#if table.problem}<Failing problem={table.problem} />
  {:else if table.value}
    {@const rows = table.value.down_values.length ? table.value.down_values : ['']}
    <!-- svelte-ignore a11y_no_noninteractive_tabindex: a region that scrolls must be reachable by keyboard -->
    <div class="overflow-x-auto" tabindex="0" role="region" aria-label="The table">
      <table class="ruled">
        <thead><tr><th>{table.value.down}</th>{#each table.value.across_values as column (column)}<th class="font-mono">{column}</th>{/each}</tr></thead>
        <tbody>
          {#each table.value.cells as line, i (i)}
            <tr>
              <th class="text-left font-mono font-normal">{rows[i]}</th>
              {#each line as cell, j (j)}
                <td>
                  {#if cell.refused}<span class="text-muted" title={cell.refused}>cannot be</span>
                  {:else}<a class="block no-underline" href={link(table.value.across_values[j] ?? '', rows[i] ?? '')}>{#each cell.possible as outcome (outcome)}<span class="block"><Mark value={outcome} size={10} /></span>{/each}{#if !cell.exact}…{/if}</a>{/if}
                </td>
              {/each}
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
  {/if}
</details>
