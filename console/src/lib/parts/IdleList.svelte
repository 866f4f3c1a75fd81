<script lang="ts">
  // What does nothing, each with the change that takes it out.
  import type { IdleThing } from '../api/types';

  let { items, place, takeOut }: {
    items: IdleThing[];
    /** Where its policy is looked at; nowhere where that is what is looked at. */
    place?: (item: IdleThing) => string;
    /** Take it out; nothing where nobody may. */
    takeOut?: ((item: IdleThing) => void) | undefined;
  } = $props();
</script>

<ul class="text-small">
  {#each items as each (each.kind + each.policy + each.rule)}
    <li class="flex flex-wrap items-baseline gap-x-3 border-b border-rule py-1" data-idle="{each.policy}/{each.rule}">
      <p class="grow basis-64">{#if place}<a href={place(each)}>{each.policy}</a>:{/if}
        {each.says}.
        {#if each.change && !each.change.same}<span class="text-muted">To take it out changes what happens where a fact is unknown.</span>{/if}</p>
      {#if takeOut && each.change}<button type="button" class="action" aria-label="Take it out: {each.says}" onclick={() => takeOut(each)}>Take it out</button>{/if}
    </li>
  {/each}
</ul>
