<script lang="ts">
  // A policy on one page, spelled out for somebody who does not know the language: to read, print and sign.
  import type { PolicySheet } from '../../lib/api/types';
  import { count, linkTo, moment, number } from '../../lib/format';
  import Mark from '../../lib/parts/Mark.svelte';
  import Sentence from '../../lib/parts/Sentence.svelte';

  let { sheet, level = 2 }: { sheet: PolicySheet; level?: 2 | 3 } = $props();
  const MODES: Record<string, string> = { enforced: 'It counts for every sign-in.', shadow: 'It is worked out beside every sign-in and does not count.', off: 'It is switched off.' };
  const scopes = $derived([['people', sheet.people] as const, ['apps', sheet.apps] as const]);
</script>

{#snippet arrow(turned: number)}<svg class="inline-block" width="18" height="12" viewBox="0 0 18 12" aria-hidden="true" style:rotate="{turned}deg"><path d="M1 6h15m-4-4 4 4-4 4" fill="none" stroke="currentColor" stroke-width="1.4" /></svg>{/snippet}
{#snippet heading(text: string)}<svelte:element this={`h${level}`} class="mt-5 mb-1 border-t border-rule-strong pt-2 text-lead font-semibold">{text}</svelte:element>{/snippet}

<article class="max-w-[50rem]" aria-label={sheet.title}>
  <p class="text-lead"><Sentence pieces={sheet.sentence} /></p>
  <dl class="mt-3 grid grid-cols-[6rem_minmax(0,1fr)] gap-x-3 gap-y-0.5 text-small">
    <dt class="text-muted">Mode</dt><dd><Mark value={sheet.mode} />. {MODES[sheet.mode] ?? ''}</dd>
    <dt class="text-muted">Owner</dt><dd>{sheet.owner || 'nobody named'}</dd>
    <dt class="text-muted">Why</dt><dd>{sheet.why || 'nothing said'}</dd>
    {#if sheet.note}<dt class="text-muted">Note</dt><dd>{sheet.note}</dd>{/if}
    {#if sheet.contact}<dt class="text-muted">Contact</dt><dd>{sheet.contact}</dd>{/if}
    {#each Object.entries(sheet.active) as [name, at] (name)}<dt class="text-muted">{name === 'from' ? 'From' : 'Until'}</dt><dd>{moment(at)}</dd>{/each}
    <dt class="text-muted">Stands in</dt><dd>{sheet.revision !== null ? `revision ${sheet.revision}` : `draft ${sheet.draft}`}, as <span class="font-mono">{sheet.id}</span></dd>
  </dl>

  {@render heading('Whom it is about')}
  <p><Sentence pieces={sheet.scope} />.</p>
  <ul class="text-small">
    {#each scopes as [what, scoped] (what)}
      <li>{number(scoped.count)} of {number(scoped.total)} {what}{scoped.first.length ? `: ${scoped.first.map((each) => each.title).join(', ')}${scoped.count > scoped.first.length ? ` and ${scoped.count - scoped.first.length} more` : ''}` : ''}</li>
    {/each}
  </ul>

  {@render heading('What it does')}
  <p class="text-small text-muted">The first that holds speaks for the policy.</p>
  <ol class="flow">
    {#each sheet.rules as rule, i (rule.id)}
      <li>
        {#if i}<p class="pl-3 text-small text-muted">{@render arrow(90)} else</p>{/if}
        <div class="grid grid-cols-[minmax(0,1fr)_2rem_minmax(0,1fr)] items-stretch break-inside-avoid">
          <p class="border border-rule-strong px-3 py-1.5">{#if rule.when.length}when <Sentence pieces={rule.when} />{:else}always{/if}</p>
          <p class="self-center justify-self-center" aria-hidden="true">{@render arrow(0)}</p>
          <p class="border border-rule-strong px-3 py-1.5 font-semibold"><Sentence pieces={rule.then} /></p>
        </div>
        {#if rule.tell}<p class="mt-1 border-l-2 border-rule-strong pl-3 text-small">People are shown: “{rule.tell}”{rule.link ? ` ${rule.link}` : ''}</p>{/if}
      </li>
    {/each}
    <li><p class="pl-3 text-small text-muted">{@render arrow(90)} if none holds, the policy has nothing to say</p></li>
  </ol>

  {#if sheet.parts.length}
    {@render heading('What it is built from')}
    {#each sheet.parts as part (part.kind + part.id)}
      <div class="mt-2 break-inside-avoid text-small">
        <p class="font-semibold"><a href={linkTo(part.kind, part.id)}>{part.title}</a> <span class="font-normal text-muted">{part.kind}</span></p>
        {#if part.note}<p class="text-muted">{part.note}</p>{/if}
        <ul>{#each part.lines as line, i (i)}<li><span class="text-muted">{line.label}</span> <span class="wrap-anywhere">{line.value}</span>{line.note ? ` (${line.note})` : ''}</li>{/each}</ul>
      </div>
    {/each}
  {/if}
  {#if sheet.effect}
    {@render heading(`The last ${sheet.effect.days} days`)}
    <p class="text-small">It decided {number(sheet.effect.blocked)} blocked, {number(sheet.effect.challenged)} challenged and {number(sheet.effect.allowed)} allowed sign-ins; {count(sheet.effect.people, 'person was', 'people were')} blocked or asked for more by it.</p>
  {/if}
  {#if sheet.guarantees.length}{@render heading('Guarantees that hang on it')}<ul class="text-small">{#each sheet.guarantees as each (each.id)}<li>{each.title}</li>{/each}</ul>{/if}
  {#if sheet.rehearsals.length}{@render heading('Rehearsals that it decides')}<ul class="text-small">{#each sheet.rehearsals as each (each.id)}<li>{each.title}: {each.outcome}{each.ok ? '' : ', which it must not be'}</li>{/each}</ul>{/if}
  {#if sheet.changes.length}{@render heading('Last changes')}<ul class="text-small">{#each sheet.changes as each (each.revision)}<li>Revision {each.revision}, {each.at.slice(0, 10)}, {each.by}: {each.why}</li>{/each}</ul>{/if}
  {@render heading('Reviews')}
  <ul class="text-small">
    {#each sheet.reviews as each (each.at)}<li>{each.at.slice(0, 10)} by {each.by}{each.again ? `; due again ${each.again.slice(0, 10)}` : ''}{each.changed ? '; changed since' : ''}{each.note ? `: ${each.note}` : ''}</li>
    {:else}<li>Nobody has reviewed it yet.</li>{/each}
  </ul>
  <div class="mt-10 hidden grid-cols-2 gap-8 text-small print:grid"><p class="border-t border-ink pt-1">Reviewed by</p><p class="border-t border-ink pt-1">On</p></div>
</article>
