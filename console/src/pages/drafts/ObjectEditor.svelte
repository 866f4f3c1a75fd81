<script lang="ts">
  // One object as text: saved by itself a moment after the last key, checked at once, with its plain sentence beside it.
  import { onDestroy, untrack } from 'svelte';
  import { push } from 'svelte-spa-router';
  import Failing from '../../lib/parts/Failing.svelte';
  import Sentence from '../../lib/parts/Sentence.svelte';
  import type { Writing } from './writing.svelte';

  let { writing, path, fresh }: { writing: Writing; path: string; fresh: boolean } = $props();
  const AFTER = 700;
  const id = $derived(path.slice(path.indexOf('.') + 1));
  const mine = $derived(writing.whole?.objects.find((each) => each.path === path));
  const saved = $derived(mine?.text || (fresh ? `${id}:\n  ` : ''));
  // What is being typed: never overwritten by what comes back from the service.
  let text = $state(untrack(() => saved));
  const same = $derived(text.trimEnd() === saved.trimEnd());
  let timer: ReturnType<typeof setTimeout> | undefined;
  onDestroy(() => clearTimeout(timer));

  function typed(): void {
    clearTimeout(timer);
    timer = setTimeout(() => void save(), AFTER);
  }

  async function save(): Promise<void> {
    clearTimeout(timer);
    const asked = text;
    if (same || !asked.trim()) return;
    // Typed on while it was being saved: that is saved next.
    if (writing.saving) return typed();
    if (!(await writing.put(path, asked))) return;
    const renamed = asked.trimStart().split(':')[0]?.trim();
    if (path.includes('.') && renamed && renamed !== id) void push(`/drafts/${writing.name}/${path.split('.')[0]}.${renamed}`);
  }

  async function putBack(): Promise<void> {
    const before = mine?.before ?? '';
    if (!(await writing.put(path, before || null))) return;
    text = saved;
    if (!before) void push(`/drafts/${writing.name}`);
  }

  async function takeOut(): Promise<void> {
    if (await writing.put(path, null)) void push(`/drafts/${writing.name}`);
  }

  const change = $derived(writing.differences.value?.objects.find((each) => isThis(each.kind, each.id)));
  function isThis(kind: string, other: string): boolean {
    const section = path.split('.')[0] ?? '';
    return other === id && (kind === section || section.replaceAll('-', ' ').startsWith(kind.slice(0, -1)));
  }
  const findings = $derived(
    (writing.check.value?.diagnostics ?? []).filter((found) => found.path === path || found.path?.startsWith(`${path}.`) || found.path?.startsWith(`${path}[`)),
  );

  function key(event: KeyboardEvent & { currentTarget: HTMLTextAreaElement }): void {
    if (event.key === 'Escape') event.currentTarget.blur();
    if ((event.ctrlKey || event.metaKey) && event.key === 's') {
      event.preventDefault();
      void save();
    }
  }
</script>

<div class="flex flex-wrap items-center gap-2 pb-2">
  <h2 class="flex-1 font-mono text-small font-semibold">{path}</h2>
  <span class="text-fine text-muted" role="status">{writing.saving ? 'Saving …' : same ? 'Saved' : 'Not saved yet'}</span>
  {#if mine?.changed}<button class="action" onclick={putBack}>Put back as it was</button>{/if}
  {#if path.includes('.') && !fresh}<button class="action" onclick={takeOut}>Take out</button>{/if}
</div>
<textarea
  class="field h-[26rem] resize-y py-2 font-mono leading-5"
  spellcheck="false"
  aria-label="Text of {path}"
  aria-describedby="findings"
  aria-invalid={findings.some((found) => found.severity !== 'note' && found.severity !== 'warning')}
  bind:value={text}
  oninput={typed}
  onblur={() => void save()}
  onkeydown={key}
></textarea>
{#if writing.refused}
  <div class="mt-3"><Failing problem={writing.refused} again={writing.refused.code === 'draft-changed' ? () => void writing.load() : undefined} /></div>
{/if}
{#if change?.after_words.length && writing.check.value?.ok}<p class="mt-3 text-lead"><Sentence pieces={change.after_words} /></p>{/if}
<ul id="findings" class="mt-3">
  {#each findings as found, i (i)}
    <li class="mb-1 text-small">
      <span class="font-semibold {found.severity === 'warning' ? 'text-challenged' : found.severity === 'note' ? 'text-muted' : 'text-blocked'}">{found.severity ?? 'error'}</span>
      {found.message}{#if found.hint}<span class="block text-muted">{found.hint}</span>{/if}
    </li>
  {/each}
</ul>
