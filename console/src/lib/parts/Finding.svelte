<script lang="ts" module>
  import type { Diagnostic } from '../api/types';

  const DANGERS: Record<NonNullable<Diagnostic['danger']>, string> = {
    '': '',
    'somebody-gets-in': 'somebody may get in',
    'nobody-gets-in': 'somebody may be kept out',
    'nobody-can-explain': 'nobody can explain it',
    tidiness: 'tidiness',
  };
</script>

<script lang="ts">
  // One thing that checking finds: what it endangers, what is wrong, what would be right; in a draft it can be made to stand.
  let {
    found,
    where = false,
    stand,
  }: {
    found: Diagnostic;
    /** Tell the path of what it is about too. */
    where?: boolean;
    /** Have it stand, with the reason and perhaps a last day; gives whether it was saved. */
    stand?: (finding: Diagnostic, because: string, until: string) => Promise<boolean>;
  } = $props();
  let asking = $state(false);
  let because = $state('');
  let until = $state('');
  const colour = $derived(found.severity === 'warning' ? 'text-challenged' : found.severity === 'note' ? 'text-muted' : 'text-blocked');

  async function send(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    if (await stand?.(found, because, until)) asking = false;
  }
</script>

<li class="mt-1 text-small" data-finding={found.code}>
  <span class="font-semibold {colour}">{found.accepted ? 'stands' : (found.severity ?? 'error')}</span>{#if found.danger && !found.accepted}<span
      class="text-muted">{' '}· {DANGERS[found.danger]}</span>{/if}
  {#if where && found.path}<span class="font-mono text-fine">{found.path}</span>{/if}
  {found.message}{#if found.accepted}<span class="block text-muted">It stands: {found.accepted}</span>{:else if found.hint}<span class="block text-muted"
      >{found.hint}{#if found.change}{' '}· suggested: {found.change.value === null
          ? `take out ${found.change.path}`
          : `set ${found.change.path} to ${found.change.value}`}{/if}</span>{/if}
  {#if found.danger}
    <span class="block text-fine">
      <a class="underline" href="/docs/lint/{found.code}" target="_blank" rel="noopener">What this is</a>
      {#if stand && !found.accepted}
        · <button type="button" class="tool" aria-expanded={asking} onclick={() => (asking = !asking)}>It stands…</button>
      {/if}
    </span>
  {/if}
  {#if asking}
    <form class="my-2 flex flex-wrap items-end gap-2" onsubmit={send}>
      <label class="min-w-64 flex-1">Why it stands <input class="field w-full" required maxlength="500" bind:value={because} /></label>
      <label>Until, if not for good <input class="field w-36" placeholder="YYYY-MM-DD" pattern="\d{'{4}'}-\d{'{2}'}-\d{'{2}'}" bind:value={until} /></label>
      <button class="action">Have it stand</button>
    </form>
  {/if}
</li>
