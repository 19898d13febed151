<script lang="ts">
  import { heldType } from '$lib/core/plan/held';
  import { fieldOf, type ColumnChoices, type Plan } from '$lib/core/plan/schema';
  import type { Tables } from '$lib/core/table/definition';
  import { reachablePaths } from '$lib/core/table/paths';
  import PathChips from './PathChips.svelte';

  interface Props {
    plan: Plan;
    choices: ColumnChoices;
    tables: Tables;
    onchange: (choices: ColumnChoices) => void;
  }
  let { plan, choices, tables, onchange }: Props = $props();

  const of = $derived(fieldOf(plan, choices.of));
  const type = $derived(of ? heldType(plan, of, tables) : null);
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
