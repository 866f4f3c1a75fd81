<script lang="ts" generics="Row">
  // A list that the service has: while it comes, when it cannot be had, when there is nothing, and row by row.
  import type { Snippet } from 'svelte';
  import { rows } from '../keys';
  import type { Load } from '../state/load.svelte';
  import Failing from './Failing.svelte';
  import Waiting from './Waiting.svelte';

  let { list, items, key, label, columns, row, none, again, width = '44rem', lines = 8 }: {
    list: Load<unknown>;
    /** What is shown of it. */
    items: Row[];
    key: (row: Row) => string;
    label: string;
    /** The headings; one in brackets is for those who do not see the column. */
    columns: string[];
    row: Snippet<[Row]>;
    none: Snippet;
    again: () => unknown;
    width?: string;
    lines?: number;
  } = $props();
</script>

{#if list.problem}
  <Failing problem={list.problem} {again} />
{:else if !list.value}
  <Waiting {lines} />
{:else if !items.length}
  {@render none()}
{:else}
  <!-- svelte-ignore a11y_no_noninteractive_tabindex: a region that scrolls must be reachable by keyboard -->
  <div class="relative overflow-x-auto" {@attach rows} tabindex="0" role="region" aria-label={label}>
    <table class="ruled" style:min-width={width}>
      <thead>
        <tr>{#each columns as column (column)}<th>{#if column.startsWith('(')}<span class="sr-only">{column.slice(1, -1)}</span>{:else}{column}{/if}</th>{/each}</tr>
      </thead>
      <tbody>
        {#each items as item (key(item))}<tr class="hover:bg-sunk">{@render row(item)}</tr>{/each}
      </tbody>
    </table>
  </div>
{/if}
