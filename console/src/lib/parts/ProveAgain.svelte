<script lang="ts">
  // Asked for when something needs a fresh proof of who is there; what was asked goes on after it.
  import { Dialog } from 'bits-ui';
  import { proving } from '../api/client';
  import { session } from '../state/session.svelte';
  import Proof from '../../pages/enter/Proof.svelte';

  let open = $state(false);
  let settle: ((given: boolean) => void) | null = null;
  proving.ask = () => {
    open = true;
    return new Promise((resolve) => (settle = resolve));
  };
  function end(given: boolean): void {
    open = false;
    settle?.(given);
    settle = null;
  }
</script>

<Dialog.Root bind:open onOpenChange={(now) => { if (!now) end(false); }}>
  <Dialog.Portal>
    <Dialog.Overlay class="fixed inset-0 z-30 bg-black/40" />
    <Dialog.Content
      preventScroll={false}
      class="fixed top-[18vh] left-1/2 z-40 w-[min(28rem,calc(100vw-2rem))] -translate-x-1/2 border border-rule-strong bg-raised p-5 shadow-xl"
    >
      <Dialog.Title class="text-lead font-semibold">Prove that it is you</Dialog.Title>
      <Dialog.Description class="mb-4 text-small text-muted">This needs a fresh proof, however long you have been signed in.</Dialog.Description>
      <Proof factors={session.info?.factors ?? []} done={(info) => { session.info = info; end(true); }} />
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
