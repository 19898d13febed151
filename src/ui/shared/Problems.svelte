<script lang="ts">
  import { Button } from '$lib/ui/parts';
  import type { Problem } from '$lib/core/problems';

  interface Props {
    problems: readonly Problem[];
    /** Called with the path of the problem that was chosen. */
    onshow?: (path: string) => void;
  }
  let { problems, onshow }: Props = $props();
</script>

{#if problems.length > 0}
  <div
    class="border-crimson rounded border px-3 py-2"
    style="background: var(--crimson-wash)"
    role="alert"
  >
    {#if problems.length > 1}
      <div class="text-crimson font-semibold">{problems.length} problems</div>
    {/if}
    <ul>
      {#each problems as found, i (i)}
        <li class="flex flex-wrap gap-x-2">
          {#if onshow && found.path !== ''}
            <Button kind="bare" class="text-left underline" onclick={() => onshow(found.path)}>
              {found.message}
            </Button>
          {:else}
            <span>{found.message}</span>
          {/if}
          {#if found.hint}<span class="text-soft">{found.hint}</span>{/if}
        </li>
      {/each}
    </ul>
  </div>
{/if}
