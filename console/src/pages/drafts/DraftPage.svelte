<script lang="ts">
  // A draft: its objects on the left, the one being written on the right; or, with none chosen, all that it changes.
  import { push } from 'svelte-spa-router';
  import { count, idFor, UNNAMED } from '../../lib/format';
  import Failing from '../../lib/parts/Failing.svelte';
  import Finding from '../../lib/parts/Finding.svelte';
  import Heading from '../../lib/parts/Heading.svelte';
  import Waiting from '../../lib/parts/Waiting.svelte';
  import Differences from './Differences.svelte';
  import ObjectEditor from './ObjectEditor.svelte';
  import PatternBox from './PatternBox.svelte';
  import PublishBox from './PublishBox.svelte';
  import { Language } from './language.svelte';
  import { Writing } from './writing.svelte';

  let { params }: { params: { name: string; path?: string } } = $props();
  // Of the name alone: another object of the same draft must not begin it anew.
  const name = $derived(params.name);
  const writing = $derived(Writing.of(name));
  const language = $derived(new Language(writing));
  const path = $derived(params.path ?? '');
  // Policies first: they are what is looked for.
  const sections = $derived(['policies', ...(language.view?.sections ?? []).filter((each) => each !== 'policies')]);
  const objects = $derived(writing.whole?.objects ?? []);
  const there = $derived(objects.some((each) => each.path === path && each.text));
  const bySection = $derived(
    sections.map((section) => [section, objects.filter((each) => each.path.split('.')[0] === section)] as const),
  );
  const errors = $derived((writing.check.value?.diagnostics ?? []).filter((found) => !found.severity || found.severity === 'error'));
  const warnings = $derived((writing.check.value?.diagnostics ?? []).filter((found) => found.severity === 'warning'));
  const standing = $derived((writing.check.value?.diagnostics ?? []).filter((found) => found.accepted));
  const changed = $derived(writing.whole?.info.changed ?? 0);
  // The id of a new object follows from its title, until it is changed by hand.
  let adding = $state('');
  let id = $state('');
  let byHand = $state(false);
  const newId = $derived(byHand ? id : idFor(adding));
  let section = $state('policies');

  const shown = (node: HTMLElement) => node.scrollIntoView({ block: 'nearest' });

  async function step(back: boolean): Promise<void> {
    const about = await writing.step(back);
    if (about !== null) void push(`/drafts/${params.name}${about ? `/${about}` : ''}`);
  }
  function key(event: KeyboardEvent): void {
    const typing = event.target instanceof Element && event.target.closest('input, select, textarea, [role=dialog]');
    if (typing || !(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== 'z') return;
    event.preventDefault();
    void step(!event.shiftKey);
  }

  async function fromPattern(id: string, title: string, pattern: string, blanks: Record<string, string>): Promise<void> {
    const made = await writing.fromPattern(id, title, pattern, blanks);
    if (made && path !== `policies.${id}`) void push(`/drafts/${params.name}/policies.${id}`);
  }

  function add(event: SubmitEvent): void {
    event.preventDefault();
    const chosen = idFor(newId);
    if (!chosen) return;
    if (adding.trim() !== chosen) writing.begun.set(`${section}.${chosen}`, adding.trim());
    void push(`/drafts/${params.name}/${section}.${chosen}`);
    adding = '';
    byHand = false;
  }
</script>

<svelte:window onkeydown={key} />
<Heading place="Drafts · {params.name}">
  {#if !writing.whole}{writing.problem ? 'This draft cannot be shown.' : 'Reading the draft …'}
  {:else}
    {changed ? `${count(changed, 'object')} changed` : 'Nothing is changed yet'}{errors.length ? `, ${count(errors.length, 'error')} to mend` : warnings.length ? `, ${count(warnings.length, 'warning')}` : ''}.
  {/if}
  {#snippet aside()}
    <button class="action" disabled={!writing.done.length || writing.saving} onclick={() => step(true)}>Undo</button>
    <button class="action" disabled={!writing.undone.length || writing.saving} onclick={() => step(false)}>Redo</button>
    <a class="action" href="#/rehearse?draft={params.name}">Rehearse it</a>
    <a class="action" href="#/replay?draft={params.name}">Replay it</a>
    {#if path?.startsWith('standards.')}<a class="action" href="#/failing/{encodeURIComponent(path.slice('standards.'.length))}?draft={encodeURIComponent(params.name)}">Devices that fail</a>{/if}
    <a class="action" href="#/tighten?draft={params.name}{path ? `&of=${encodeURIComponent(path)}` : ''}">How strict?</a>
    <a class="action" href="#/drafts/{params.name}">What it changes, and publishing</a>
  {/snippet}
</Heading>

{#if writing.problem}
  <Failing problem={writing.problem} again={() => void writing.read()} />
{:else if !writing.whole}
  <Waiting lines={12} />
{:else}
  <div class="grid gap-6 lg:grid-cols-[12rem_minmax(0,1fr)]">
    <nav aria-label="Objects of the draft" class="max-h-56 overflow-y-auto border-b border-rule text-small lg:max-h-[75vh] lg:border-b-0">
      <form class="mb-3 grid gap-1" onsubmit={add}>
        <label for="adding" class="text-fine text-muted">Add an object</label>
        <select class="field" aria-label="Kind of the new object" bind:value={section}>
          {#each sections.filter((each) => each !== 'settings') as each (each)}<option>{each}</option>{/each}
        </select>
        <input id="adding" class="field" bind:value={adding} placeholder="its title" />
        <div class="flex gap-1">
          <input class="field font-mono" aria-label="Id of the new object" placeholder="its id" value={newId}
            oninput={(event) => { id = event.currentTarget.value; byHand = id !== ''; }} />
          <button class="action">Add</button>
        </div>
      </form>
      {#each bySection as [name, items] (name)}
        {#if items.length}
          <h2 class="eyebrow mt-3">{name}</h2>
          <ul>
            {#each items as each (each.path)}
              <li>
                <a href="#/drafts/{params.name}/{each.path}" aria-current={each.path === path ? 'page' : undefined} {@attach each.path === path ? shown : undefined} class="block rounded-[3px] px-1 py-0.5 text-ink hover:bg-sunk aria-[current=page]:bg-accent-soft" class:line-through={!each.text}>
                  {each.path.slice(each.path.indexOf('.') + 1)}{#if each.changed}<span class="text-fine text-accent">&nbsp;changed</span>{/if}
                </a>
              </li>
            {/each}
          </ul>
        {/if}
      {/each}
    </nav>
    <div class="min-w-0">
      {#if path}
        {#if path.startsWith('policies.') && !there && !objects.some((each) => each.path === path)}
          {#key path}<PatternBox draft={params.name} id={path.startsWith(UNNAMED) ? '' : path.slice('policies.'.length)} title={writing.begun.get(path) ?? ''} {objects} put={fromPattern} />{/key}
        {/if}
        {#key `${path} ${writing.turns}`}<ObjectEditor {writing} {language} {path} fresh={!there} />{/key}
      {:else}
        <PublishBox {writing} />
        {#if errors.length || warnings.length || standing.length}
          <h2 class="mt-6 mb-1 font-semibold">What checking finds</h2>
          <ul>
            {#each [...errors, ...warnings, ...standing] as found, i (`${found.code} ${found.path} ${i}`)}
              <Finding {found} where stand={(of, because, until) => writing.accept(of, because, until)} />
            {/each}
          </ul>
        {/if}
        <h2 class="mt-6 mb-3 font-semibold">What it changes</h2>
        {#if writing.check.value && !writing.check.value.ok}<p class="text-muted">It can be told once the errors are mended.</p>
        {:else if writing.differences.value}
          {#if writing.differences.value.objects.length}<Differences objects={writing.differences.value.objects} />
          {:else}<p class="text-muted">Nothing yet: choose an object on the left, or add one.</p>{/if}
        {:else}<Waiting lines={4} />{/if}
      {/if}
    </div>
  </div>
{/if}
