<script lang="ts">
  // A secret that was made just now: it is shown this once, and is nowhere else.
  let { says, secret, done }: { says: string; secret: string; done: () => void } = $props();
  let copied = $state(false);

  async function copy(): Promise<void> {
    await navigator.clipboard.writeText(secret);
    copied = true;
  }
</script>

<div class="mb-5 border-l-4 border-accent bg-accent-soft px-4 py-3" role="status">
  <p class="font-semibold">{says} It is not shown again.</p>
  <p class="my-2 font-mono text-small break-all select-all">{secret}</p>
  <button class="action" onclick={copy}>{copied ? 'Copied' : 'Copy'}</button>
  <button class="action" onclick={done}>Put away</button>
</div>
