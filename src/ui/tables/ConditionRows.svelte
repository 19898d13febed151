<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { reader } from '$lib/core/words/reader';
  import { Button, Select } from '$lib/ui/parts';
  import {
    operatorsFor,
    operatorWords,
    valuesTaken,
    type Condition,
    type Operator,
  } from '$lib/core/table/conditions';
  import type { Table, House } from '$lib/core/table/definition';
  import { reachablePaths, resolvePath } from '$lib/core/table/paths';
  import { formatValue } from '$lib/core/values/format';
  import type { Scalar } from '$lib/core/values/types';
  import ConditionValue from './ConditionValue.svelte';

  interface Props {
    table: Table;
    tables: House;
    conditions: readonly Condition[];
    /** What stands before each condition, and on the button for a further one. */
    word?: string;
    add?: string;
    onchange: (conditions: Condition[]) => void;
  }
  let {
    table,
    tables,
    conditions,
    word = say('always where'),
    add = say('+ a condition that always holds'),
    onchange,
  }: Props = $props();

  const paths = $derived(reachablePaths(tables, table, 2));

  function update(i: number, change: Partial<Condition>) {
    onchange(conditions.map((c, k) => (k === i ? { ...c, ...change } : c)));
  }

  /** Puts a value in its place; several are taken one by one. */
  function put(i: number, place: number, value: Scalar) {
    const { values = [] } = conditions[i] ?? {};
    if (value === null) return update(i, { values: values.filter((_, k) => k !== place) });
    const next = [...values];
    next[place] = value;
    update(i, { values: [...new Set(next)] });
  }

  function places({ operator, values }: Condition): number {
    const taken = valuesTaken(operator);
    return taken === 'many' ? values.length + 1 : taken;
  }
</script>

{#each conditions as condition, i (i)}
  {@const column = resolvePath(tables, table, condition.path)?.column}
  <div class="flex flex-wrap items-center gap-2">
    <span>{word}</span>
    <Select
      class="w-auto!"
      aria-label="Column of the condition"
      value={condition.path}
      onchange={(event) =>
        update(i, { path: event.currentTarget.value, operator: 'not_empty', values: [] })}
    >
      {#each paths as { path, label } (path)}<option value={path}>{label}</option>{/each}
    </Select>
    <Select
      class="w-auto!"
      aria-label="Comparison of the condition"
      value={condition.operator}
      onchange={(event) =>
        update(i, { operator: event.currentTarget.value as Operator, values: [] })}
    >
      {#each column ? [...new Set( [...operatorsFor(column.type), 'one_of' as const] )] : [] as operator (operator)}
        <option value={operator}>{operatorWords[operator]}</option>
      {/each}
    </Select>
    {#if column}
      {#each Array.from({ length: places(condition) }) as _, place (place)}
        {@const value = condition.values[place] ?? null}
        <div class="w-36">
          <ConditionValue
            id="condition-{table.key}-{word.length}-{i}-{place}"
            {column}
            label={say(`Value ${place + 1} of the condition`)}
            {tables}
            {value}
            shown={value === null ? '' : formatValue(column.type, value, reader())}
            onvalue={(chosen) => put(i, place, chosen)}
          />
        </div>
      {/each}
    {/if}
    <Button kind="link" onclick={() => onchange(conditions.filter((_, k) => k !== i))}
      >Remove</Button
    >
  </div>
{/each}
<div>
  <Button
    kind="link"
    onclick={() =>
      onchange([
        ...conditions,
        { path: table.columns[0]?.key ?? 'id', operator: 'not_empty', values: [] },
      ])}>{add}</Button
  >
</div>
