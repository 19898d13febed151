<script lang="ts">
  import { Select } from '$lib/ui/parts';
  import { isAmount } from '$lib/core/values/types';
  import { aggregates, type Rollup } from '$lib/core/plan/schema';
  import { aggregateWords } from '$lib/core/plan/words';
  import type { House } from '$lib/core/table/definition';
  import { reachablePaths } from '$lib/core/table/paths';
  import ConditionRows from '$lib/ui/tables/ConditionRows.svelte';

  interface Props {
    rollup: Rollup;
    tables: House;
    onchange: (rollup: Rollup) => void;
  }
  let { rollup, tables, onchange }: Props = $props();

  const table = $derived(tables.get(rollup.table));
  const paths = $derived(
    (table ? reachablePaths(tables, table, 2) : []).filter(({ column }) => {
      const counts = rollup.aggregate === 'sum' || rollup.aggregate === 'average';
      return !counts || isAmount(column.type);
    }),
  );

  function choose(aggregate: Rollup['aggregate']) {
    const numeric = table?.columns.find((c) => isAmount(c.type));
    const path = aggregate === 'count' ? null : (rollup.path ?? numeric?.key ?? null);
    const takesOff = aggregate === 'sum' || aggregate === 'count';
    onchange({ ...rollup, aggregate, path, less: takesOff ? rollup.less : [] });
  }
</script>

{#if table}
  <div class="flex flex-wrap items-center gap-2">
    <span>the</span>
    <Select
      class="w-auto!"
      aria-label="Aggregate"
      value={rollup.aggregate}
      onchange={(event) => choose(event.currentTarget.value as Rollup['aggregate'])}
    >
      {#each aggregates as aggregate (aggregate)}
        <option value={aggregate}>{aggregateWords[aggregate]}</option>
      {/each}
    </Select>
    <span>of</span>
    {#if rollup.aggregate === 'count'}
      <span>records of {table.title}</span>
    {:else}
      <Select
        class="w-auto!"
        aria-label="Column that is totalled"
        value={rollup.path ?? ''}
        onchange={(event) => onchange({ ...rollup, path: event.currentTarget.value })}
      >
        {#each paths as { path, label } (path)}<option value={path}>{label}</option>{/each}
      </Select>
      <span>over {table.title}</span>
    {/if}
  </div>
  <ConditionRows
    {table}
    {tables}
    conditions={rollup.conditions}
    onchange={(conditions) => onchange({ ...rollup, conditions })}
  />
  {#if rollup.aggregate === 'sum' || rollup.aggregate === 'count'}
    <ConditionRows
      {table}
      {tables}
      word="taken off where"
      add="+ take some off"
      conditions={rollup.less}
      onchange={(less) => onchange({ ...rollup, less })}
    />
  {/if}
{/if}
