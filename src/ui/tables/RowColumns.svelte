<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { Button, Checkbox, Input, Select } from '$lib/ui/parts';
  import { keyFrom } from '$lib/core/table/definition';
  import {
    kindNames,
    mostRowColumns,
    plainText,
    simpleTypes,
    type RowColumn,
  } from '$lib/core/values/types';
  import { focusable, goTo } from '$lib/ui/shared/focus';

  interface Props {
    /** Whose rows they are, for the names of the controls. */
    label: string;
    columns: readonly RowColumn[];
    onchange: (columns: RowColumn[]) => void;
  }
  let { label, columns, onchange }: Props = $props();

  /** A column keeps its key when it is renamed: rows that are kept hold their values by it. */
  function update(i: number, change: Partial<RowColumn>) {
    onchange(columns.map((column, k) => (k === i ? { ...column, ...change } : column)));
  }

  function add() {
    const title = say(`Column ${columns.length + 1}`);
    const key = keyFrom(
      title,
      columns.map((column) => column.key),
    );
    onchange([...columns, { key, label: title, type: plainText, required: false }]);
    goTo(`column ${label} ${columns.length}`);
  }

  const typeOf = (kind: string) => simpleTypes.find((type) => type.kind === kind) ?? plainText;
</script>

<div class="grid basis-full gap-1.5" role="group" aria-label="Columns of {label}">
  {#each columns as column, i (column.key)}
    <div class="flex items-center gap-2">
      <div class="contents" {@attach focusable(`column ${label} ${i}`)}>
        <Input
          class="w-44!"
          aria-label="Name of column {i + 1} of {label}"
          value={column.label}
          onchange={({ currentTarget: { value } }) =>
            value.trim() !== '' && update(i, { label: value.trim() })}
        />
      </div>
      <Select
        class="w-auto!"
        aria-label="Type of {column.label} in {label}"
        value={column.type.kind}
        onchange={({ currentTarget: { value } }) => update(i, { type: typeOf(value) })}
      >
        {#if !simpleTypes.some(({ kind }) => kind === column.type.kind)}
          <option value={column.type.kind}>{kindNames[column.type.kind]}</option>
        {/if}
        {#each simpleTypes as { kind } (kind)}<option value={kind}>{kindNames[kind]}</option>{/each}
      </Select>
      <label class="flex items-center gap-1.5">
        <Checkbox
          checked={column.required}
          onchange={({ currentTarget: { checked } }) => update(i, { required: checked })}
        /> required
      </label>
      {#if columns.length > 1}
        <Button
          kind="link"
          aria-label="Remove {column.label} from {label}"
          onclick={() => onchange(columns.filter((_, k) => k !== i))}>×</Button
        >
      {/if}
    </div>
  {/each}
  {#if columns.length < mostRowColumns}
    <div><Button kind="link" onclick={add}>+ a column</Button></div>
  {/if}
</div>
