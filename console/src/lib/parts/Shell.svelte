<script lang="ts">
  import BookText from '@lucide/svelte/icons/book-text';
  import BookOpenText from '@lucide/svelte/icons/book-open-text';
  import DoorOpen from '@lucide/svelte/icons/door-open';
  import Eye from '@lucide/svelte/icons/eye';
  import FilePen from '@lucide/svelte/icons/file-pen';
  import FlaskConical from '@lucide/svelte/icons/flask-conical';
  import Grid3x3 from '@lucide/svelte/icons/grid-3x3';
  import History from '@lucide/svelte/icons/history';
  import ListTree from '@lucide/svelte/icons/list-tree';
  import OctagonAlert from '@lucide/svelte/icons/octagon-alert';
  import LogOut from '@lucide/svelte/icons/log-out';
  import Moon from '@lucide/svelte/icons/moon';
  import KeyRound from '@lucide/svelte/icons/key-round';
  import Search from '@lucide/svelte/icons/search';
  import Sun from '@lucide/svelte/icons/sun';
  import SunMoon from '@lucide/svelte/icons/sun-moon';
  import Users from '@lucide/svelte/icons/users';
  import type { Snippet } from 'svelte';
  import { router } from 'svelte-spa-router';
  import { session } from '../state/session.svelte';
  import { theme } from '../state/theme.svelte';
  import Palette from './Palette.svelte';

  let { children }: { children: Snippet } = $props();
  const PAGES = [
    { href: '/watch', docs: 'watching', word: 'Watch', icon: Eye },
    { href: '/rulebook', docs: 'rulebook', word: 'Rulebook', icon: BookOpenText },
    { href: '/coverage', docs: 'inventory', word: 'Coverage', icon: Grid3x3 },
    { href: '/inventory', docs: 'inventory', word: 'Inventory', icon: Users },
    { href: '/drafts', docs: 'publishing', word: 'Drafts', icon: FilePen },
    { href: '/history', docs: 'publishing', word: 'History', icon: History },
    { href: '/rehearse', docs: 'rehearsing', word: 'Rehearse', icon: FlaskConical },
    { href: '/signins', docs: 'log', word: 'Sign-ins', icon: ListTree },
    { href: '/causes', docs: 'log', word: 'Causes', icon: OctagonAlert },
    { href: '/sessions', docs: 'door', word: 'Sessions', icon: DoorOpen },
    { href: '/settings', docs: 'security', word: 'Settings', icon: KeyRound },
  ];
  // The page of the docs about what is on the screen.
  const docs = $derived(router.location.startsWith('/trace') ? 'log' : (PAGES.find((page) => here(page.href))?.docs ?? ''));
  const THEMES = { system: SunMoon, light: Sun, dark: Moon };
  const ThemeIcon = $derived(THEMES[theme.choice]);
  let palette = $state(false);

  const here = (href: string) =>
    router.location.startsWith(href) ||
    (router.location === '/' && href === '/watch') ||
    (href === '/rehearse' && ['/beside', '/first-device'].includes(router.location)) ||
    (href === '/inventory' && (router.location.startsWith('/failing') || router.location === '/unlisted')) ||
    (href === '/rulebook' && ['/sheets', '/reviews', '/proofs'].includes(router.location)) ||
    (href === '/drafts' && router.location === '/replay');

  function key(event: KeyboardEvent): void {
    if ((event.ctrlKey || event.metaKey) && event.key === 'k') {
      event.preventDefault();
      palette = true;
      return;
    }
    const typing = event.target instanceof Element && event.target.closest('input, select, textarea, [role=combobox]');
    if (event.key === '/' && !typing && !event.ctrlKey && !event.metaKey && !event.altKey) {
      const box = document.querySelector<HTMLElement>('[data-search]');
      if (box) {
        event.preventDefault();
        box.focus();
      }
    }
  }
</script>

<svelte:window onkeydown={key} />
<a
  href="#main"
  class="absolute -top-10 left-2 z-20 bg-raised px-3 py-1 focus:top-2"
  onclick={(event) => {
    event.preventDefault();
    document.getElementById('main')?.focus();
  }}>Skip to the page</a
>
<div class="mx-auto flex min-h-screen max-w-[1500px] flex-col md:flex-row">
  <nav
    aria-label="Main"
    class="flex flex-wrap items-center gap-x-1 gap-y-1 border-rule px-3 py-2 max-md:border-b md:sticky md:top-0 md:h-screen md:w-44 md:shrink-0 md:flex-col md:flex-nowrap md:items-stretch md:border-r md:px-3 md:py-5"
  >
    <a href="#/" class="flex items-center gap-2 px-2 font-semibold text-ink hover:no-underline max-md:mr-2 md:mb-4">
      <img src="/favicon.svg" alt="" width="20" height="20" />Caddrel
    </a>
    {#each PAGES as { href, word, icon: Icon } (href)}
      <a
        href="#{href}"
        aria-current={here(href) ? 'page' : undefined}
        class="flex items-center gap-2 rounded-[3px] px-2 py-1 text-ink hover:bg-sunk hover:no-underline aria-[current=page]:bg-accent-soft aria-[current=page]:font-semibold"
      >
        <Icon size={15} aria-hidden="true" />{word}
      </a>
    {/each}
    <div class="flex items-center gap-1 max-md:ml-auto md:mt-auto md:flex-col md:items-stretch">
      <button class="flex items-center gap-2 rounded-[3px] px-2 py-1 text-muted hover:bg-sunk" onclick={() => (palette = true)}>
        <Search size={15} aria-hidden="true" /><span class="max-md:sr-only">Go to</span>
        <kbd class="ml-auto font-sans text-fine max-md:hidden">Ctrl K</kbd>
      </button>
      <a
        href="/docs/{docs}"
        target="_blank"
        rel="noopener"
        class="flex items-center gap-2 rounded-[3px] px-2 py-1 text-muted hover:bg-sunk hover:no-underline"
      >
        <BookText size={15} aria-hidden="true" /><span class="max-md:sr-only">About this page</span>
      </a>
      <button class="flex items-center gap-2 rounded-[3px] px-2 py-1 text-muted hover:bg-sunk" onclick={() => theme.next()}>
        <ThemeIcon size={15} aria-hidden="true" /><span class="max-md:sr-only">Theme: {theme.choice}</span>
      </button>
      <button class="flex items-center gap-2 rounded-[3px] px-2 py-1 text-muted hover:bg-sunk" onclick={() => session.signOut()}>
        <LogOut size={15} aria-hidden="true" /><span class="max-md:sr-only">Leave</span>
      </button>
      <p class="px-2 text-fine text-muted max-md:hidden">{session.info?.account}, {session.info?.role}</p>
    </div>
  </nav>
  <main id="main" tabindex="-1" class="min-w-0 flex-1 px-4 py-5 outline-none md:px-8 md:py-6">
    {@render children()}
  </main>
</div>
<Palette bind:open={palette} />
