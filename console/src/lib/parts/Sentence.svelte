<script lang="ts">
  // A sentence whose names can be followed to where they live. Pieces are text: nothing in them is markup.
  import type { Piece } from '../api/types';
  import { linkTo } from '../format';

  let { pieces }: { pieces: Piece[] } = $props();
</script>

{#each pieces as piece, i (i)}{@const href = piece.kind && piece.id ? linkTo(piece.kind, piece.id) : ''}{#if href}<a
      {href}
      class="underline decoration-rule-strong underline-offset-3">{piece.text}</a
    >{:else}{piece.text}{/if}{/each}
