<script lang="ts">
  // One object, by form or as text: saved by itself a moment after the last key, with what it says and does beside it.
  import { onDestroy, untrack } from 'svelte';
  import { push } from 'svelte-spa-router';
  import { api } from '../../lib/api/client';
  import type { ObjectView } from '../../lib/api/types';
  import Failing from '../../lib/parts/Failing.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import { Load } from '../../lib/state/load.svelte';
  import Beside from './forms/Beside.svelte';
  import FieldForm from './forms/FieldForm.svelte';
  import ProvenBeside from './forms/ProvenBeside.svelte';
  import { FIELDS } from './forms/fields';
  import type { Language } from './language.svelte';
  import type { Writing } from './writing.svelte';

  let { writing, language, path: given, fresh }: { writing: Writing; language: Language; path: string; fresh: boolean } = $props();
  const AFTER = 500;
  // The page makes another editor for another object: on its way out this one still saves its own.
  const path = untrack(() => given);
  const section = path.split('.')[0] ?? '';
  const id = path.slice(path.indexOf('.') + 1);
  const fields = FIELDS[section];
  const mine = $derived(writing.whole?.objects.find((each) => each.path === path));
  const view = new Load<ObjectView>();
  let asText = $state(!fields);
  // What is being written: never overwritten by what comes back from the service.
  const title = untrack(() => (fresh && fields?.some((each) => each.key === 'title') ? writing.begun.get(path) : undefined));
  let value = $state<Record<string, unknown>>(title ? { title } : {});
  let text = $state(untrack(() => mine?.text || (fresh ? `${id}:\n  ` : '')));
  let name = $state(id);
  let ready = $state(untrack(() => fresh));
  let same = $state(true);
  let timer: ReturnType<typeof setTimeout> | undefined;
  onDestroy(() => {
    clearTimeout(timer);
    // What somebody else saved in between is not written over unseen.
    if (!same && !writing.refused) void save();
  });

  async function look(take: boolean): Promise<void> {
    await view.run((signal) => api.look(writing.name, path, signal));
    if (!take || !view.value) return;
    const found = view.value.value;
    if (found !== null && typeof found === 'object' && !Array.isArray(found)) value = found as Record<string, unknown>;
    else if (view.value.text) asText = true;
    ready = true;
  }
  if (untrack(() => !fresh)) void look(true);

  function later(): void {
    same = false;
    clearTimeout(timer);
    timer = setTimeout(() => void save(), AFTER);
  }

  async function save(): Promise<void> {
    clearTimeout(timer);
    if (same || (asText && !text.trim())) return;
    // Typed on while it was being saved: that is saved next.
    if (writing.saving) return later();
    const asked = asText ? text : JSON.stringify(value) + name;
    const saved = asText ? await writing.put(path, text) : await writing.putValue(path, $state.snapshot(value), name);
    if (!saved) return;
    same = asked === (asText ? text : JSON.stringify(value) + name);
    if (asText && saved.value !== null && typeof saved.value === 'object') value = saved.value as Record<string, unknown>;
    else if (!asText) text = saved.text ?? '';
    if (saved.path !== path) void push(`/drafts/${writing.name}/${saved.path}`);
    else void look(false);
  }

  function change(to: Record<string, unknown>): void {
    value = to;
    later();
  }
  async function turn(): Promise<void> {
    await save();
    asText = !asText;
  }
  async function put(to: string | null): Promise<void> {
    clearTimeout(timer);
    same = true;
    const saved = await writing.put(path, to);
    if (!saved) return;
    if (to === null) void push(`/drafts/${writing.name}`);
    else writing.turns++;
  }
  const findings = $derived.by(() => {
    const of = (found: { path?: string }) => found.path === path || found.path?.startsWith(`${path}.`) || found.path?.startsWith(`${path}[`);
    const doubts = (writing.check.value?.diagnostics ?? []).filter((found) => of(found) && found.severity && found.severity !== 'error');
    return [...(view.value?.problems ?? []).filter((found) => !doubts.some((doubt) => doubt.code === found.code)), ...doubts];
  });

  function key(event: KeyboardEvent): void {
    if ((event.ctrlKey || event.metaKey) && event.key === 's') {
      event.preventDefault();
      void save();
    }
  }
</script>

<svelte:window onkeydown={key} />
<div class="flex flex-wrap items-center gap-2 pb-2">
  <h2 class="grow basis-48 font-mono text-small font-semibold wrap-anywhere">{path}</h2>
  <span class="text-fine text-muted" role="status" data-saved={same && !writing.saving}>{writing.saving ? 'Saving …' : same ? 'Saved' : 'Not saved yet'}</span>
  {#if fields}<button type="button" class="action" aria-pressed={asText} onclick={turn}>As text</button>{/if}
  {#if mine?.changed && mine.before}<button type="button" class="action" onclick={() => put(mine.before)}>Put back as it was</button>{/if}
  {#if path.includes('.') && mine?.text}<button type="button" class="action" onclick={() => put(null)}>Take out</button>{/if}
</div>
{#if writing.refused}
  <div class="mb-3"><Failing problem={writing.refused} again={writing.refused.code === 'draft-changed' ? () => void writing.read() : undefined} /></div>
{/if}
<div class="grid gap-x-8 gap-y-6 xl:grid-cols-[minmax(0,1fr)_18rem]">
  <div class="min-w-0">
    {#if asText}
      <textarea class="field h-[26rem] resize-y py-2 font-mono leading-5" spellcheck="false" aria-label="Text of {path}" bind:value={text} oninput={later} onblur={() => void save()}></textarea>
    {:else if !ready}
      {#if view.problem}<Failing problem={view.problem} again={() => void look(true)} />{:else}<Waiting lines={10} />{/if}
    {:else}
      {#if path.includes('.')}
        <label class="grid items-start gap-x-3 py-1 text-small sm:grid-cols-[7.5rem_minmax(0,1fr)]"><span class="pt-1">Id</span>
          <input class="field font-mono" value={name} spellcheck="false" onchange={(event) => {
            name = event.currentTarget.value.trim() || id;
            later();
          }} /></label>
      {/if}
      <FieldForm fields={fields ?? []} {value} {path} {language} problems={view.value?.problems ?? []} set={change} />
    {/if}
  </div>
  <aside aria-label="What it says and does" class="min-w-0 xl:sticky xl:top-4 xl:max-h-[85vh] xl:self-start xl:overflow-y-auto">
    {#if view.value}<Beside view={view.value} {findings} draft={writing.name} {path} stand={(found, because, until) => writing.accept(found, because, until)} />
      <ProvenBeside {writing} {path} />
    {:else if fresh}<p class="text-small text-muted">What it says and whom it covers shows here as soon as it is begun.</p>{/if}
  </aside>
</div>
