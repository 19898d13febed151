<script lang="ts">
  import {
    operatorsFor,
    operatorWords,
    valuesTaken,
    type Condition,
    type Operator,
  } from '$lib/core/table/conditions';
  import type { Tables } from '$lib/core/table/definition';
  import { reachablePaths, resolvePath } from '$lib/core/table/paths';
  import { lookup } from '$lib/core/plan/draft';
  import type { Choices, Field, TableChoices } from '$lib/core/plan/schema';
  import ColumnInput from '$lib/ui/tables/ColumnInput.svelte';

  interface Props {
    field: Field;
    tables: Tables;
    onchange: (choices: Choices | null) => void;
  }
  let { field, tables, onchange }: Props = $props();

  const choices = $derived(field.choices);
  const table = $derived(choices?.kind === 'table' ? tables.get(choices.table) : undefined);
  const paths = $derived(table ? reachablePaths(tables, table, 2) : []);
  const chosen = $derived(
    choices?.kind === 'table' ? `table:${choices.table}` : (choices?.kind ?? ''),
  );

  function choose(word: string) {
    if (word === '') return onchange(null);
    if (word === 'values') return onchange({ kind: 'values', values: [] });
    onchange(lookup(word.replace('table:', ''), tables));
  }

  function update(change: Partial<TableChoices>) {
    if (choices?.kind === 'table') onchange({ ...choices, ...change });
  }

  function store(word: string, current: TableChoices) {
    if (word === '') return update({ stores: { kind: 'link' }, distinct: false });
    update({
      stores: { kind: 'copy', column: word },
      shown: current.distinct ? [word] : current.shown,
    });
  }

  function valuesFrom(text: string) {
    const values = text
      .split('\n')
      .map((line) => line.trim())
      .filter((line) => line !== '');
    const options = [...new Set(values)].map((value) => ({ value, label: value }));
    onchange({ kind: 'values', values: options });
  }

  function updateCondition(conditions: Condition[], i: number, change: Partial<Condition>) {
    update({ conditions: conditions.map((c, k) => (k === i ? { ...c, ...change } : c)) });
  }
</script>

<div class="grid gap-2.5">
  <div class="flex flex-wrap items-center gap-2">
    <label class="font-semibold" for="choices-source">Where do the choices come from?</label>
    <select
      id="choices-source"
      class="control w-auto!"
      value={chosen}
      onchange={(event) => choose(event.currentTarget.value)}
    >
      <option value="">none, it is typed in</option>
      <option value="values">values typed here</option>
      {#each [...tables.values()] as { key, title } (key)}
        <option value="table:{key}">table {title}</option>
      {/each}
    </select>
    {#if choices?.kind === 'table' && table}
      <label for="choices-stores">stored as</label>
      <select
        id="choices-stores"
        class="control w-auto!"
        value={choices.stores.kind === 'copy' ? choices.stores.column : ''}
        onchange={(event) => store(event.currentTarget.value, choices)}
      >
        <option value="">link to the record</option>
        {#each table.columns as { key, label } (key)}<option value={key}>copy of {label}</option
          >{/each}
      </select>
      {#if choices.stores.kind === 'copy'}
        <label class="flex items-center gap-1.5">
          <input
            type="checkbox"
            checked={choices.distinct}
            onchange={(event) => update({ distinct: event.currentTarget.checked })}
          /> each value once
        </label>
      {/if}
    {/if}
  </div>

  {#if choices?.kind === 'values'}
    <label class="grid max-w-[300px] gap-1">
      <span>One value a line</span>
      <textarea
        class="control h-24!"
        value={choices.values.map((option) => option.label).join('\n')}
        onchange={(event) => valuesFrom(event.currentTarget.value)}></textarea>
    </label>
  {:else if choices?.kind === 'table' && table}
    {#if !choices.distinct}
      <div class="flex flex-wrap items-center gap-2">
        <span>shows</span>
        {#each choices.shown as path, i (path)}
          <span class="chip">
            {paths.find((p) => p.path === path)?.label ?? path}
            <button
              type="button"
              aria-label="Do not show {path}"
              onclick={() => update({ shown: choices.shown.filter((_, k) => k !== i) })}>×</button
            >
          </span>
        {/each}
        <select
          class="control w-auto!"
          aria-label="Show another column"
          value=""
          onchange={(event) => {
            update({ shown: [...choices.shown, event.currentTarget.value] });
            event.currentTarget.value = '';
          }}
        >
          <option value="">+ column</option>
          {#each paths.filter((p) => !choices.shown.includes(p.path)) as { path, label } (path)}
            <option value={path}>{label}</option>
          {/each}
        </select>
        <label for="choices-order">in the order of</label>
        <select
          id="choices-order"
          class="control w-auto!"
          value={choices.order[0]?.path ?? ''}
          onchange={({ currentTarget: { value: path } }) =>
            update({ order: path ? [{ path, descending: false }] : [] })}
        >
          <option value="">entry</option>
          {#each paths as { path, label } (path)}<option value={path}>{label}</option>{/each}
        </select>
        {#if choices.order[0]}
          {@const [first, ...rest] = choices.order}
          <label class="flex items-center gap-1.5">
            <input
              type="checkbox"
              checked={first?.descending}
              onchange={(event) =>
                first &&
                update({ order: [{ ...first, descending: event.currentTarget.checked }, ...rest] })}
            /> last first
          </label>
        {/if}
      </div>
    {/if}
    {#each choices.conditions as condition, i (i)}
      {@const column = resolvePath(tables, table, condition.path)?.column}
      <div class="flex flex-wrap items-center gap-2">
        <span>always where</span>
        <select
          class="control w-auto!"
          aria-label="Column of the condition"
          value={condition.path}
          onchange={(event) =>
            updateCondition(choices.conditions, i, {
              path: event.currentTarget.value,
              operator: 'not_empty',
              values: [],
            })}
        >
          {#each paths as { path, label } (path)}<option value={path}>{label}</option>{/each}
        </select>
        <select
          class="control w-auto!"
          aria-label="Comparison of the condition"
          value={condition.operator}
          onchange={(event) =>
            updateCondition(choices.conditions, i, {
              operator: event.currentTarget.value as Operator,
              values: [],
            })}
        >
          {#each column ? operatorsFor(column.type) : [] as operator (operator)}
            {#if valuesTaken(operator) === 0 || valuesTaken(operator) === 1}
              <option value={operator}>{operatorWords[operator]}</option>
            {/if}
          {/each}
        </select>
        {#if column && valuesTaken(condition.operator) === 1}
          <div class="w-44">
            <ColumnInput
              id="condition-{i}"
              column={{ ...column, label: 'Value of the condition' }}
              {tables}
              value={condition.values[0] ?? null}
              shown={condition.values[0] == null ? '' : String(condition.values[0])}
              onvalue={(value) =>
                value !== null && updateCondition(choices.conditions, i, { values: [value] })}
            />
          </div>
        {/if}
        <button
          type="button"
          class="textlink"
          onclick={() => update({ conditions: choices.conditions.filter((_, k) => k !== i) })}
          >Remove</button
        >
      </div>
    {/each}
    <div>
      <button
        type="button"
        class="textlink"
        onclick={() =>
          update({
            conditions: [
              ...choices.conditions,
              { path: table.columns[0]?.key ?? 'id', operator: 'not_empty', values: [] },
            ],
          })}>+ a condition that always holds</button
      >
    </div>
  {/if}
</div>
