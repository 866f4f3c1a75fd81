<script lang="ts">
  // Go anywhere by keyboard: pages, policies, parts, or a sign-in by its id or reference.
  import { Command, Dialog } from 'bits-ui';
  import { push } from 'svelte-spa-router';
  import { api } from '../api/client';
  import type { RulebookView } from '../api/types';
  import { Load } from '../state/load.svelte';

  let { open = $bindable(false) }: { open?: boolean } = $props();
  let text = $state('');
  const view = new Load<RulebookView>();
  const PAGES = [
    { href: '/rulebook', word: 'Rulebook' },
    { href: '/coverage', word: 'Coverage: what each audience can meet at each app' },
    { href: '/inventory/people', word: 'People' },
    { href: '/inventory/groups', word: 'Groups' },
    { href: '/inventory/devices', word: 'Devices' },
    { href: '/inventory/apps', word: 'Apps' },
    { href: '/inventory/lists', word: 'Address lists' },
    { href: '/sheets', word: 'Reviewers\' sheets: the whole rulebook to print' },
    { href: '/reviews', word: 'Reviews of policies' },
    { href: '/drafts', word: 'Drafts: what is being written' },
    { href: '/history', word: 'History: revisions' },
    { href: '/rehearse', word: 'Rehearse a sign-in' },
    { href: '/signins', word: 'Sign-ins' },
    { href: '/signins?outcome=blocked', word: 'Sign-ins that were blocked' },
    { href: '/causes', word: 'Causes of blocks and challenges' },
    { href: '/sessions', word: 'Sessions: who is in' },
    { href: '/settings/tokens', word: 'Tokens of programs' },
    { href: '/settings/starter-codes', word: 'Starter codes' },
    { href: '/settings/acceptances', word: 'Acceptances of notices' },
    { href: '/settings/audit', word: 'Audit: every change and refusal' },
    { href: '/settings/account', word: 'Account: second factors, console sessions' },
  ];
  const reference = $derived(/^(s-\d+|[0-9a-z]{5}-?[0-9a-z]{5})$/i.test(text.trim()) ? text.trim() : '');

  $effect(() => {
    // Loaded before it is first opened too: whoever types fast must not meet an empty list.
    void view.run(() => api.rulebook());
    if (!open) text = '';
  });

  function go(href: string): void {
    open = false;
    void push(href);
  }
</script>

{#snippet entry(href: string, word: string, kind: string)}
  <Command.Item
    value={`${word} ${kind} ${href}`}
    onSelect={() => go(href)}
    class="flex cursor-pointer items-baseline gap-3 px-2 py-1.5 data-selected:bg-accent-soft"
  >
    <span>{word}</span><span class="ml-auto text-fine text-muted">{kind}</span>
  </Command.Item>
{/snippet}

<Dialog.Root bind:open>
  <Dialog.Portal>
    <Dialog.Overlay class="fixed inset-0 z-30 bg-black/40" />
    <Dialog.Content
      preventScroll={false}
      class="fixed top-[12vh] left-1/2 z-40 w-[min(38rem,calc(100vw-2rem))] -translate-x-1/2 border border-rule-strong bg-raised shadow-xl"
    >
      <Dialog.Title class="sr-only">Go to</Dialog.Title>
      <Dialog.Description class="sr-only">Pages, policies, parts, or a sign-in by its id or reference.</Dialog.Description>
      <Command.Root label="Go to" loop filter={(value, search) => (value.toLowerCase().includes(search.trim().toLowerCase()) ? 1 : 0)}>
        <Command.Input
          bind:value={text}
          placeholder="A page, policy, part, or a sign-in's reference"
          class="w-full border-b border-rule bg-transparent px-4 py-3 text-lead outline-none placeholder:text-muted"
        />
        <Command.List tabindex={0} class="max-h-[50vh] overflow-y-auto p-2">
          <Command.Viewport>
            <Command.Empty class="px-2 py-3 text-muted">Nothing is called that.</Command.Empty>
            {#if reference}{@render entry(`/signins/${encodeURIComponent(reference)}`, `Trace ${reference}`, 'sign-in')}{/if}
            {#each PAGES as page (page.href)}{@render entry(page.href, page.word, 'page')}{/each}
            {#each view.value?.policies ?? [] as policy (policy.id)}
              {@render entry(`/rulebook/policy/${policy.id}`, policy.title, 'policy')}
            {/each}
            {#each view.value?.parts ?? [] as part (part.kind + part.id)}
              {@render entry(`/rulebook/${part.kind}/${part.id}`, part.title, part.kind)}
            {/each}
          </Command.Viewport>
        </Command.List>
      </Command.Root>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
