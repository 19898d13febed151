<script lang="ts">
  import { markedParts } from './marked';

  /** A text with what was typed marked in it. */
  let { text, typed }: { text: string; typed: string } = $props();
</script>

{#each markedParts(text, typed) as piece, i (i)}{#if piece.marked}<mark>{piece.text}</mark
    >{:else}{piece.text}{/if}{/each}
