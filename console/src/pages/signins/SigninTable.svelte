<script lang="ts">
  // The rows of the log. Clicking a value narrows the list to it; the time opens the trace.
  import type { SigninSummary } from '../../lib/api/types';
  import { linkTo, moment } from '../../lib/format';
  import { rows } from '../../lib/keys';
  import Mark from '../../lib/parts/Mark.svelte';
  import { COLUMNS } from './columns';

  type Props = {
    items: SigninSummary[];
    columns: string[];
    narrow: (name: string, value: string) => string;
    fresh: ReadonlySet<string>;
  };
  let { items, columns, narrow, fresh }: Props = $props();
</script>

{#snippet cell(name: string, item: SigninSummary)}
  {@const column = COLUMNS[name]}
  {@const text = column?.value(item)}
  {#if name === 'decided'}
    {#if item.policy}<a href={linkTo('policy', item.policy)}>{item.policy}</a>{#if item.rule}&nbsp;/ {item.rule}{/if}
    {:else if item.reason}<span class="text-muted">{item.reason} app</span>
    {:else}<span class="text-muted">nothing objects</span>{/if}
  {:else if text && column?.filter}<a class="text-ink" href="#{narrow(column.filter, text)}">{text}</a>
  {:else if text}<span class="tabular-nums">{text}</span>
  {:else if name === 'device'}<span class="text-muted">{item.owner ?? 'not named'}</span>{/if}
  {#if name === 'app' && !columns.includes('operation') && item.operation !== 'sign-in'}
    <span class="block text-fine text-muted">{item.operation}</span>
  {/if}
{/snippet}

<!-- svelte-ignore a11y_no_noninteractive_tabindex: a region that scrolls must be reachable by keyboard -->
<div class="relative overflow-x-auto" {@attach rows} tabindex="0" role="region" aria-label="Sign-ins">
  <table class="ruled" style:min-width="{18 + 6.5 * columns.length}rem">
    <thead>
      <tr><th>Time (UTC)</th><th>Outcome</th>{#each columns as name (name)}<th>{COLUMNS[name]?.title}</th>{/each}</tr>
    </thead>
    <tbody>
      {#each items as item (item.id)}
        <tr class="hover:bg-sunk" class:bg-accent-soft={fresh.has(item.id)}>
          <td class="whitespace-nowrap tabular-nums">
            <a data-row href="#/signins/{encodeURIComponent(item.id)}" aria-label="Trace {item.id}, {moment(item.at)}">{moment(item.at)}</a>
          </td>
          <td>
            <a class="hover:no-underline" href="#{narrow('outcome', item.outcome)}"><Mark value={item.outcome} /></a>
            {#if item.shadow_together !== item.outcome}
              <span class="block text-fine whitespace-nowrap text-muted">in shadow {item.shadow_together}</span>
            {/if}
            {#if item.credentials === 'wrong'}<span class="block text-fine whitespace-nowrap text-challenged">wrong credentials</span>{/if}
          </td>
          {#each columns as name (name)}<td>{@render cell(name, item)}</td>{/each}
        </tr>
      {/each}
    </tbody>
  </table>
</div>
