<script lang="ts">
  // The rows of the log. Clicking a value narrows the list to it; the time opens the trace.
  import type { SigninSummary } from '../../lib/api/types';
  import { linkTo, moment } from '../../lib/format';
  import { rows } from '../../lib/keys';
  import Mark from '../../lib/parts/Mark.svelte';

  let { items, narrow }: { items: SigninSummary[]; narrow: (name: string, value: string) => string } = $props();
</script>

{#snippet value(name: string, text: string | null)}
  {#if text}<a class="text-ink" href="#{narrow(name, text)}">{text}</a>{/if}
{/snippet}

<!-- svelte-ignore a11y_no_noninteractive_tabindex: a region that scrolls must be reachable by keyboard -->
<div class="overflow-x-auto" {@attach rows} tabindex="0" role="region" aria-label="Sign-ins">
  <table class="ruled min-w-[58rem]">
    <thead>
      <tr><th>Time (UTC)</th><th>Outcome</th><th>Person</th><th>App</th><th>From</th><th>Device</th><th>Decided by</th></tr>
    </thead>
    <tbody>
      {#each items as item (item.id)}
        <tr class="hover:bg-sunk">
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
          <td>{@render value('person', item.person)}</td>
          <td>{@render value('app', item.app)}{#if item.operation !== 'sign-in'}<span class="block text-fine text-muted">{item.operation}</span>{/if}</td>
          <td class="whitespace-nowrap tabular-nums">{item.address ?? ''} {@render value('country', item.country)}</td>
          <td>{@render value('device', item.device)}{#if !item.device}<span class="text-muted">{item.owner ?? 'not named'}</span>{/if}</td>
          <td>
            {#if item.policy}<a href={linkTo('policy', item.policy)}>{item.policy}</a>{#if item.rule}&nbsp;/ {item.rule}{/if}
            {:else if item.reason}<span class="text-muted">{item.reason} app</span>
            {:else}<span class="text-muted">nothing objects</span>{/if}
          </td>
        </tr>
      {/each}
    </tbody>
  </table>
</div>
