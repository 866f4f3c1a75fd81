<script lang="ts">
  // What is proven of an object while it is written, some time after the last change: what in it does nothing, whether a
  // guarantee holds; and, when asked, what the change of this object alone means.
  import { untrack } from 'svelte';
  import { proofs } from '../../../lib/api/proofs';
  import type { IdleResult, IdleThing, MeaningResult, ProofResult } from '../../../lib/api/types';
  import Changes from '../../../lib/parts/Changes.svelte';
  import Example from '../../../lib/parts/Example.svelte';
  import Failing from '../../../lib/parts/Failing.svelte';
  import IdleList from '../../../lib/parts/IdleList.svelte';
  import Shape from '../../../lib/parts/Shape.svelte';
  import Waiting from '../../../lib/parts/Waiting.svelte';
  import { Load } from '../../../lib/state/load.svelte';
  import type { Writing } from '../writing.svelte';

  let { writing, path }: { writing: Writing; path: string } = $props();
  const AFTER = 1500;
  const section = $derived(path.split('.')[0]);
  const id = $derived(path.slice(path.indexOf('.') + 1));
  const idle = new Load<IdleResult>();
  const guarantee = new Load<ProofResult>();
  const meaning = new Load<MeaningResult>();
  // Only what can be read is proven; what was proven of another version is not told.
  const version = $derived(writing.check.value?.ok && !writing.saving ? (writing.whole?.info.version ?? 0) : 0);
  let of = $state(0);
  const mine = $derived(writing.whole?.objects.find((each) => each.path === path));
  const nothing = $derived(of === version ? (idle.value?.items ?? []).filter((each) => each.policy === id) : []);
  const held = $derived(of === version ? guarantee.value?.guarantees.find((each) => each.guarantee === id) : undefined);
  const SHAPES = { holds: 'true', fails: 'false', undecided: 'unknown' } as const;

  $effect(() => {
    const now = version;
    if (!now || (section !== 'policies' && section !== 'guarantees')) return;
    const timer = setTimeout(() => untrack(() => void prove(now)), AFTER);
    return () => {
      clearTimeout(timer);
      idle.leave();
      guarantee.leave();
    };
  });
  $effect(() => () => meaning.leave());
  // What it means is of the version that was asked about.
  $effect(() => {
    if (version) untrack(() => {
      meaning.leave();
      meaning.value = meaning.problem = null;
    });
  });

  async function prove(now: number): Promise<void> {
    const side = { draft: writing.name };
    if (section === 'policies') await idle.run((signal) => proofs.idle(side, signal));
    else await guarantee.run((signal) => proofs.guarantees(side, signal, id));
    of = now;
  }
  async function takeOut(item: IdleThing): Promise<void> {
    if (!item.change) return;
    if (await writing.put(item.change.path, item.change.text)) writing.turns++;
  }
  const means = () => void meaning.run((signal) => proofs.meaning({}, { draft: writing.name }, signal, path));
</script>

<div aria-live="polite">
  {#if nothing.length}
    <h3 class="eyebrow mt-4">Does nothing</h3>
    <IdleList items={nothing} takeOut={(item) => void takeOut(item)} />
  {/if}
  {#if held}
    <h3 class="eyebrow mt-4">What is proven</h3>
    <p class="{held.answer === 'holds' ? 'text-allowed' : held.answer === 'fails' ? 'text-blocked' : 'text-challenged'} font-semibold" data-proven={held.answer}><Shape name={SHAPES[held.answer]} size={12} /> {held.answer}</p>
    {#if held.empty}<p class="text-small text-challenged">This asks nothing: no attempt is one that it speaks of, or nothing could break it.</p>{/if}
    {#if held.counterexample}<div class="text-small"><Example example={held.counterexample} draft={writing.name} /></div>{/if}
  {:else if guarantee.busy}<p class="mt-4 text-small text-muted">Proving …</p>
  {:else if guarantee.problem}<Failing problem={guarantee.problem} />{/if}
  {#if mine?.changed && version && section !== 'guarantees' && section !== 'rehearsals'}
    <h3 class="eyebrow mt-4">What this change means</h3>
    {#if meaning.problem}<Failing problem={meaning.problem} />
    {:else if meaning.value}<div class="text-small"><Changes meaning={meaning.value.meaning} draft={writing.name} /></div>
    {:else if meaning.busy}<Waiting lines={2} />
    {:else}<button type="button" class="action mt-1" onclick={means}>Tell what it alone changes</button>{/if}
  {/if}
</div>
