<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { reader } from '$lib/core/words/reader';
  import { Button } from '$lib/ui/parts';
  import {
    operatorsFor,
    operatorWords,
    valuesTaken,
    type Condition,
  } from '$lib/core/table/conditions';
  import type { Table, House } from '$lib/core/table/definition';
  import { reachablePaths, resolvePath } from '$lib/core/table/paths';
  import { formatValue } from '$lib/core/values/format';
  import type { Scalar, ValueType } from '$lib/core/values/types';
  import OneCondition from '$lib/ui/shared/OneCondition.svelte';
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
  const comparisonsFor = (type: ValueType) =>
    [...new Set([...operatorsFor(type), 'one_of' as const])].map(
      (operator) => [operator, operatorWords[operator]] as const,
    );

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
  <OneCondition
    called={{
      subject: say('Column of the condition'),
      comparison: say('Comparison of the condition'),
    }}
    subjects={paths.map(({ path, label }) => ({ value: path, label }))}
    subject={condition.path}
    onsubject={(path) => update(i, { path, operator: 'not_empty', values: [] })}
    comparisons={column ? comparisonsFor(column.type) : []}
    comparison={condition.operator}
    oncomparison={(operator) => update(i, { operator, values: [] })}
  >
    {#snippet before()}<span>{word}</span>{/snippet}
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
  </OneCondition>
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
