<script lang="ts">
  import { Button } from '$lib/ui/parts';
  import type { Match } from '$lib/core/contract/answers';
  import type { House } from '$lib/core/table/definition';
  import { evidenceOf } from './comes-from';

  interface Props {
    /** What the data speak for. */
    matches: readonly Match[];
    tables: House;
    onaccept: (match: Match) => void;
  }
  let { matches, tables, onaccept }: Props = $props();
</script>

{#each matches as match (`${match.table}.${match.column}`)}
  {@const to = tables.get(match.table)}
  <div class="flex flex-wrap items-baseline gap-2" role="status">
    <span>
      These look like <b>{to?.columns.find((c) => c.key === match.column)?.label}</b> of
      <b>{to?.title}</b>: {evidenceOf(match)}.
      {#if match.exceptions.length > 0}
        <span class="text-crimson">Missing: {match.exceptions.join(', ')}.</span>
      {/if}
    </span>
    <Button kind="link" onclick={() => onaccept(match)}>Turn it into a lookup</Button>
  </div>
{/each}
