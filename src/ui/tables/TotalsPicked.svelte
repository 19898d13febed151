<script lang="ts">
  import { Checkbox } from '$lib/ui/parts';
  import type { Column } from '$lib/core/table/definition';
  import { totalsFor, type Total, type TotalKind } from '$lib/core/table/view';
  import { totalWords } from '$lib/core/table/total-words';

  interface Props {
    columns: readonly Column[];
    totals: readonly Total[];
    onchange: (totals: Total[]) => void;
  }
  let { columns, totals, onchange }: Props = $props();

  const totalled = $derived(columns.filter(({ type }) => totalsFor(type).length > 1));

  function toggle(column: string, kind: TotalKind) {
    const others = totals.filter((t) => t.column !== column || t.kind !== kind);
    onchange(others.length < totals.length ? others : [...totals, { column, kind }]);
  }
</script>

{#each totalled as column (column.key)}
  <div class="flex flex-wrap items-center gap-3">
    <span class="w-36 font-semibold">{column.label}</span>
    {#each totalsFor(column.type) as kind (kind)}
      <label class="flex items-center gap-1">
        <Checkbox
          checked={totals.some((t) => t.column === column.key && t.kind === kind)}
          onchange={() => toggle(column.key, kind)}
        />
        {totalWords[kind]}
      </label>
    {/each}
  </div>
{:else}<span class="quiet">No column has totals.</span>{/each}
