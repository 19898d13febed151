<script lang="ts">
  import type { KeptFile } from '$lib/core/values/files';
  import FileLine from './FileLine.svelte';

  interface Props {
    files: readonly KeptFile[];
  }
  let { files }: Props = $props();
</script>

<!-- The files of a value, as pictures where they are pictures. -->
{#if files.length === 0}–{:else}
  <ul class="m-0 flex list-none flex-wrap gap-4 p-0 whitespace-normal">
    {#each files as file (file.file)}<li class="max-w-full"><FileLine {file} large /></li>{/each}
  </ul>
{/if}
