<script lang="ts">
  // One part: what it is made of, and everything that changing it would touch.
  import { api } from '../../lib/api/client';
  import { inventory } from '../../lib/api/inventory';
  import type { RulebookView, Standing } from '../../lib/api/types';
  import { count, linkTo } from '../../lib/format';
  import Failing from '../../lib/parts/Failing.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { change } from '../../lib/state/changing';
  import { session } from '../../lib/state/session.svelte';
  import { Load } from '../../lib/state/load.svelte';

  let { params }: { params: { kind: string; id: string } } = $props();
  const view = new Load<RulebookView>();
  void view.run(() => api.rulebook());
  const standing = new Load<Standing>();
  const part = $derived(view.value?.parts.find((found) => found.kind === params.kind && found.id === params.id));
  $effect(() => {
    // Asked only of what there is.
    const found = part;
    if (found && ['place', 'standard', 'schedule'].includes(found.kind)) void standing.run((signal) => inventory.standing(`${found.kind}s.${found.id}`, signal));
  });
</script>

{#if view.problem}
  <Heading place="Part">This part cannot be shown.</Heading>
  <Failing problem={view.problem} />
{:else if !view.value}
  <Heading place="Part">Loading …</Heading>
  <Waiting />
{:else if !part}
  <Heading place="Part">The rulebook has no {params.kind} called “{params.id}”.</Heading>
  <p>It may have been renamed or taken out. All parts are under the <a href="#/rulebook">rulebook</a>.</p>
{:else}
  <Heading place="{part.kind} · {part.id}">
    {part.title}: used by {part.used_by.length ? count(part.used_by.length, 'object') : 'nothing yet'}.
    {#snippet aside()}{#if part.kind === 'standard'}<a class="action" href="#/failing/{encodeURIComponent(part.id)}">Devices that fail</a>{/if}{#if session.info?.role !== 'viewer'}<button class="action" onclick={() => change(`${part.kind}s.${part.id}`)}>Change it</button>{/if}{/snippet}
  </Heading>
  {#if standing.value?.lines.length}<ul class="mb-4">{#each standing.value.lines as line, i (i)}<li class={i ? 'text-small text-muted' : ''}>{line}</li>{/each}</ul>{/if}
  {#if part.note}<p class="mb-4 text-muted">{part.note}</p>{/if}
  <div class="grid gap-x-10 gap-y-6 lg:grid-cols-[minmax(0,1fr)_19rem]">
    <table class="ruled">
      <thead><tr><th>Of</th><th>Value</th><th>{part.kind === 'standard' ? 'Fix' : 'Note'}</th></tr></thead>
      <tbody>
        {#each part.lines as line, i (i)}
          <tr>
            <td class="text-muted">{line.label}</td>
            <td class="font-mono wrap-anywhere">
              {#if line.label === 'places'}<a href={linkTo('place', line.value)}>{line.value}</a>{:else}{line.value}{/if}
            </td>
            <td>{line.note ?? ''}</td>
          </tr>
        {/each}
      </tbody>
    </table>
    <aside class="text-small">
      <h2 class="mb-2 text-lead font-semibold">Where it is used</h2>
      {#each part.used_by as use (use.kind + use.id)}
        <p class="border-t border-rule py-1.5">
          {#if linkTo(use.kind, use.id)}<a href={linkTo(use.kind, use.id)}>{use.title}</a>{:else}{use.title}{/if}
          <span class="text-muted">{use.kind}</span>
        </p>
      {:else}
        <p class="text-muted">Nothing names it: it has no effect.</p>
      {/each}
    </aside>
  </div>
{/if}
