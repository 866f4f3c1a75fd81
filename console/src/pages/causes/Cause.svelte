<script lang="ts">
  // One cause: how many, who, since when, what decided, and what would help.
  import type { CauseView } from '../../lib/api/types';
  import { count, linkTo, moment, number } from '../../lib/format';
  import Mark from '../../lib/parts/Mark.svelte';
  import Sentence from '../../lib/parts/Sentence.svelte';
  import { query } from '../signins/filters';
  import Trend from './Trend.svelte';

  let { cause, filters }: { cause: CauseView; filters: Record<string, string> } = $props();
  const records = $derived(`#/signins${query({ ...filters, cause: cause.key })}`);
</script>

<li class="grid gap-x-6 gap-y-1 border-b border-rule py-3 lg:grid-cols-[11rem_minmax(0,1fr)_10rem]">
  <div>
    <Mark value={cause.outcome} />
    <a data-row href={records} class="block text-lead font-semibold tabular-nums">{count(cause.count, 'sign-in')}</a>
    <p class="text-small text-muted">
      {count(cause.people, 'person', 'people')}, {count(cause.devices, 'device')}, {count(cause.apps, 'app')}
    </p>
  </div>
  <div class="min-w-0">
    <p class="font-semibold">
      {#if cause.policy}<a href={linkTo('policy', cause.policy)}>{cause.policy_title}</a>
        <span class="font-mono text-fine font-normal text-muted">{cause.rule}</span>
      {:else if cause.reason === 'credentials'}Wrong credentials{:else if cause.reason === 'locked-out'}Locked out{:else}Closed, and nobody lets in{/if}
    </p>
    <p class="first-letter:uppercase"><Sentence pieces={cause.because} />.</p>
    {#if cause.help.length}
      <ul class="mt-1 text-small">
        {#each cause.help as sentence, i (i)}<li>→ <Sentence pieces={sentence} /></li>{/each}
      </ul>
    {/if}
    {#if cause.change}
      <p class="mt-1 font-mono text-fine wrap-anywhere">{cause.change.path}: {cause.change.value}</p>
    {/if}
    <p class="mt-1 text-fine text-muted">
      {#each cause.sample as item, i (item.id)}{i ? ' · ' : 'Such as '}<a href={linkTo('signin', item.id)}
          >{item.person ?? 'nobody named'}, {moment(item.at)}</a
        >{/each}
    </p>
  </div>
  <div class="text-small text-muted">
    <Trend days={cause.days} label="{number(cause.count)} in this time" />
    {#if cause.new}
      <p class="text-challenged">New since {moment(cause.first_ever)}, under revision {cause.since.number}: {cause.since.why}</p>
      {#if cause.changed.length}
        <p>
          It changed {#each cause.changed.slice(0, 4) as piece, i (i)}{i ? ', ' : ''}<Sentence pieces={[piece]} />{/each}{cause.changed.length >
          4
            ? ` and ${cause.changed.length - 4} more`
            : ''}.
        </p>
      {/if}
    {:else}
      <p>First of all {moment(cause.first_ever)}, last {moment(cause.last)}.</p>
    {/if}
  </div>
</li>
