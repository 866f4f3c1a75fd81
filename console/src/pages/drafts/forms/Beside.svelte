<script lang="ts">
  // What stands beside an object while it is written: its sentence, whom it covers, what is wrong, what the door shows.
  import type { Diagnostic, ObjectView } from '../../../lib/api/types';
  import Finding from '../../../lib/parts/Finding.svelte';
  import Sentence from '../../../lib/parts/Sentence.svelte';
  import AddressBox from './AddressBox.svelte';
  import Covers from './Covers.svelte';
  import DoorPreview from './DoorPreview.svelte';

  let {
    view,
    findings,
    draft,
    path,
    stand,
  }: {
    view: ObjectView;
    findings: Diagnostic[];
    draft: string;
    path: string;
    stand: (finding: Diagnostic, because: string, until: string) => Promise<boolean>;
  } = $props();
  const section = $derived(path.split('.')[0]);
</script>

<div aria-live="polite">
  {#if view.words.length}<p class="text-lead" data-sentence><Sentence pieces={view.words} /></p>
  {:else if section === 'policies' && view.problems.length}<p class="text-muted">The sentence comes back once what is wrong is mended.</p>{/if}
  {#if view.covers}<Covers {draft} {path} covers={view.covers} />{/if}
  {#if findings.length}
    <h3 class="eyebrow mt-4">What checking finds</h3>
    <ul>
      {#each findings as found, i (`${found.code} ${found.path} ${i}`)}<Finding {found} {stand} />{/each}
    </ul>
  {/if}
</div>
{#if view.told.length}
  <h3 class="eyebrow mt-4">What the door shows</h3>
  {#each view.told as told (told.rule)}<DoorPreview {told} />{/each}
{/if}
{#if section === 'places'}<AddressBox {draft} {path} />{/if}
{#if view.standing}
  <h3 class="eyebrow mt-4">How it stands now</h3>
  {#each view.standing.lines as line, i (i)}<p class="text-small">{line}</p>{/each}
  {#if view.standing.devices?.length}
    <ul class="mt-1 max-h-56 overflow-y-auto text-small">
      {#each view.standing.devices as device (device.id)}
        <li class="border-t border-rule py-0.5"><a href="#/signins?device={encodeURIComponent(device.id)}" class="font-mono text-fine">{device.id}</a> {device.title}<span class="block text-fine text-blocked">{device.note}</span></li>
      {/each}
    </ul>
  {/if}
{/if}
{#if view.used_by.length}
  <h3 class="eyebrow mt-4">Changing it touches</h3>
  <ul class="text-small">
    {#each view.used_by as user (user.kind + user.id)}
      <li>{user.kind} {#if user.kind === 'policy'}<a href="#/drafts/{draft}/policies.{user.id}">{user.title}</a>{:else}{user.title}{/if}</li>
    {/each}
  </ul>
{:else if ['places', 'standards', 'schedules', 'proofs', 'notices', 'signals'].includes(section ?? '')}
  <p class="mt-4 text-small text-muted">Nothing uses it yet.</p>
{/if}
