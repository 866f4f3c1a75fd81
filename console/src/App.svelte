<script lang="ts">
  import Router, { router } from 'svelte-spa-router';
  import ProveAgain from './lib/parts/ProveAgain.svelte';
  import Shell from './lib/parts/Shell.svelte';
  import Waiting from './lib/parts/Waiting.svelte';
  import { session } from './lib/state/session.svelte';
  import CausesPage from './pages/causes/CausesPage.svelte';
  import CoveragePage from './pages/coverage/CoveragePage.svelte';
  import DraftPage from './pages/drafts/DraftPage.svelte';
  import DraftsPage from './pages/drafts/DraftsPage.svelte';
  import EnterPage from './pages/enter/EnterPage.svelte';
  import MissingPage from './pages/enter/MissingPage.svelte';
  import HistoryPage from './pages/history/HistoryPage.svelte';
  import FailingPage from './pages/inventory/FailingPage.svelte';
  import UnlistedPage from './pages/inventory/UnlistedPage.svelte';
  import InventoryPage from './pages/inventory/InventoryPage.svelte';
  import ThingPage from './pages/inventory/ThingPage.svelte';
  import BesidePage from './pages/rehearse/BesidePage.svelte';
  import FirstDevicePage from './pages/rehearse/FirstDevicePage.svelte';
  import RehearsePage from './pages/rehearse/RehearsePage.svelte';
  import PartPage from './pages/rulebook/PartPage.svelte';
  import PolicyPage from './pages/rulebook/PolicyPage.svelte';
  import ProofsPage from './pages/rulebook/ProofsPage.svelte';
  import ReviewsPage from './pages/rulebook/ReviewsPage.svelte';
  import SheetPage from './pages/rulebook/SheetPage.svelte';
  import SheetsPage from './pages/rulebook/SheetsPage.svelte';
  import ReplayPage from './pages/replay/ReplayPage.svelte';
  import TightenPage from './pages/replay/TightenPage.svelte';
  import RulebookPage from './pages/rulebook/RulebookPage.svelte';
  import SettingsPage from './pages/settings/SettingsPage.svelte';
  import SessionsPage from './pages/sessions/SessionsPage.svelte';
  import SigninsPage from './pages/signins/SigninsPage.svelte';
  import TakeInPage from './pages/signins/TakeInPage.svelte';
  import TracePage from './pages/trace/TracePage.svelte';
  import WatchPage from './pages/watch/WatchPage.svelte';

  const routes = {
    '/': WatchPage,
    '/watch': WatchPage,
    '/rulebook': RulebookPage,
    '/rulebook/policy/:id': PolicyPage,
    '/rulebook/policy/:id/sheet': SheetPage,
    '/rulebook/:kind/:id': PartPage,
    '/rehearse': RehearsePage,
    '/beside': BesidePage,
    '/first-device': FirstDevicePage,
    '/replay': ReplayPage,
    '/tighten': TightenPage,
    '/causes': CausesPage,
    '/drafts': DraftsPage,
    '/drafts/:name': DraftPage,
    '/drafts/:name/:path': DraftPage,
    '/history': HistoryPage,
    '/coverage': CoveragePage,
    '/inventory': InventoryPage,
    '/inventory/:noun': InventoryPage,
    '/inventory/:noun/:id': ThingPage,
    '/failing/:standard': FailingPage,
    '/unlisted': UnlistedPage,
    '/proofs': ProofsPage,
    '/sheets': SheetsPage,
    '/reviews': ReviewsPage,
    '/sessions': SessionsPage,
    '/settings': SettingsPage,
    '/settings/:part': SettingsPage,
    '/signins': SigninsPage,
    '/take-in': TakeInPage,
    '/signins/:id': TracePage,
    '*': MissingPage,
  };
  void session.check();
</script>

{#if !session.checked}
  <div class="mx-auto max-w-xl p-8"><Waiting lines={4} /></div>
{:else if !session.info || session.info.half || router.location === '/enter'}
  <EnterPage />
{:else}
  <Shell><Router {routes} restoreScrollState={true} /></Shell>
  <ProveAgain />
{/if}
