<script lang="ts">
  // What went wrong, what was kept, and what to do.
  import type { Problem } from '../api/types';

  let { problem, again }: { problem: Problem; again?: () => void } = $props();
</script>

<div class="border-l-4 border-blocked bg-blocked-soft px-4 py-3" role="alert">
  <p class="font-semibold first-letter:uppercase">{problem.title}</p>
  {#if problem.hint}<p class="first-letter:uppercase">{problem.hint}</p>{/if}
  {#each problem.errors ?? [] as found, i (i)}
    <p class="text-small">
      {#if found.span}<span class="font-mono">{found.span.file}:{found.span.line}:{found.span.column}</span>{/if}
      {found.message}{#if found.hint}&nbsp;— {found.hint}{/if}
    </p>
  {/each}
  <p class="mt-1 text-fine text-muted">
    <a href={problem.type?.startsWith('/docs/') ? problem.type : `/docs/diagnostics#${problem.code}`} target="_blank" rel="noopener">{problem.code}</a>{#if problem.request_id}&nbsp;· request {problem.request_id}{/if}
  </p>
  {#if again}<button class="action mt-2" onclick={again}>Try again</button>{/if}
</div>
