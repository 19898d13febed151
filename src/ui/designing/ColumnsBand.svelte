<script lang="ts">
  import type { ColumnChoices } from '$lib/core/plan/choices';
  import type { Sight } from '$lib/core/plan/sight';
  import type { House } from '$lib/core/table/definition';
  import { reachablePaths } from '$lib/core/table/paths';
  import PathChips from './PathChips.svelte';

  interface Props {
    sight: Sight;
    choices: ColumnChoices;
    tables: House;
    onchange: (choices: ColumnChoices) => void;
  }
  let { sight, choices, tables, onchange }: Props = $props();

  const of = $derived(sight.named.find(({ name }) => name === choices.of));
  const type = $derived(of?.type ?? null);
  const table = $derived(type?.kind === 'reference' ? tables.get(type.table) : undefined);
</script>

<div class="flex flex-wrap items-center gap-2">
  <span>offers</span>
  <PathChips
    chosen={choices.paths}
    paths={table ? reachablePaths(tables, table, 2) : []}
    word="Offer"
    onchange={(paths) => paths.length > 0 && onchange({ ...choices, paths })}
  />
</div>
<p class="quiet">
  The value of the chosen column is brought by {of?.label ?? choices.of}: say there into which
  field.
</p>
