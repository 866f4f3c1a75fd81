<script lang="ts">
  // The last sign-ins of a person, a device or an app.
  import type { SigninLine } from '../../lib/api/types';
  import { moment } from '../../lib/format';
  import Mark from '../../lib/parts/Mark.svelte';

  let { lines, all }: { lines: SigninLine[]; all: string } = $props();
</script>

<section aria-label="Last sign-ins">
  <h2 class="text-lead font-semibold">Last sign-ins</h2>
  {#if lines.length}
    <ul class="text-small">
      {#each lines as line (line.id)}
        <li class="flex flex-wrap gap-x-3 border-t border-rule py-1">
          <a  href="#/signins/{encodeURIComponent(line.id)}">{moment(line.at)}</a>
          <Mark value={line.outcome} size={10} /><span>{line.app}</span><span class="text-muted">{line.person}{line.device ? `, ${line.device}` : ''}</span>
        </li>
      {/each}
    </ul>
    <p class="mt-1 text-small"><a href={all}>All of them</a></p>
  {:else}<p class="text-small text-muted">The log has none.</p>{/if}
</section>
