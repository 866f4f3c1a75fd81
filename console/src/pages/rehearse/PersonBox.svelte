<script lang="ts">
  // Who it is, as the policies see them: groups and where they come from, factors, and with what a proof can be given.
  import type { PersonView } from '../../lib/api/types';
  import { moment } from '../../lib/format';
  import Mark from '../../lib/parts/Mark.svelte';
  import Sentence from '../../lib/parts/Sentence.svelte';

  let { person }: { person: PersonView } = $props();
  const ways = (sets: string[][]) => sets.map((way) => way.join(' with ')).join(', or ');
</script>

<details class="mt-6 border-t-2 border-ink pt-3" open>
  <summary class="cursor-pointer text-lead font-semibold">Who {person.title} is</summary>
  <dl class="mt-2 grid grid-cols-[8.5rem_minmax(0,1fr)] gap-x-3 gap-y-1 text-small">
    <dt class="text-muted">Groups</dt>
    <dd>
      {#each person.groups as group (group.id)}
        <span class="block">{group.title}{#if group.through.length}<span class="text-muted">, through {group.through.join(', ')}</span>{/if}{#if group.until}<span class="text-muted">, until {moment(group.until)}</span>{/if}</span>
      {:else}none{/each}
    </dd>
    {#if person.roles.length}<dt class="text-muted">Roles</dt><dd>{person.roles.join(', ')}</dd>{/if}
    <dt class="text-muted">Factors enrolled</dt>
    <dd>{person.factors === null ? 'not known' : person.factors.join(', ') || 'none'}</dd>
    {#each person.used as fact (fact.fact)}
      <dt class="text-muted" title={fact.fact}>{fact.label}</dt>
      <dd>{fact.shown} <span class="text-muted">{fact.origin}</span></dd>
    {/each}
    {#each person.needed as proof (proof.item)}
      <dt class="text-muted">If asked for</dt>
      <dd>
        <Sentence pieces={proof.words} />:
        {#if proof.held.length}has {ways(proof.held)}{:else if proof.enrolling.length}<strong>has no factor for it</strong>; would have to enrol {ways(proof.enrolling)}{#if proof.code}, or needs a starter code from an administrator{/if}{:else if proof.code}needs a starter code from an administrator{:else}<strong>no factor would do</strong>{/if}
      </dd>
    {/each}
    {#each person.enrol as each (each.factors.join())}
      <dt class="text-muted">Enrolling</dt>
      <dd>
        {each.factors.join(', ')}{each.needs_code ? ', with a starter code' : ''}:
        {#each each.possible as outcome (outcome)}<Mark value={outcome} size={10} />{' '}{/each}
        <span class="text-muted"><Sentence pieces={each.sentence} /></span>
      </dd>
    {/each}
  </dl>
</details>
