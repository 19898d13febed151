<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { Button, Ledger } from '$lib/ui/parts';
  import { parseText } from '$lib/core/values/parse';
  import type { KeptRow, RowColumn, Scalar, Value } from '$lib/core/values/types';
  import { reading } from './locale';
  import ValueInput from './ValueInput.svelte';

  interface Props {
    id: string;
    label: string;
    columns: readonly RowColumn[];
    rows: readonly KeptRow[];
    onvalue: (value: Value) => void;
    /** Told when a cell holds no value, with the sentence; `null` when all do again. */
    onbad?: (sentence: string | null) => void;
    disabled?: boolean;
    describedby?: string;
  }
  let { id, label, columns, rows, onvalue, onbad, disabled = false, describedby }: Props = $props();

  /** What was typed into a cell and cannot be read, by row and column. */
  let rejected = $state<Record<string, string>>({});
  /** The rows as they are edited: a blank one at the end takes what is added. */
  const lines = $derived(disabled ? rows : [...rows, {}]);

  function put(at: number, key: string, value: Scalar) {
    const changed = lines.map((row, i) => (i === at ? { ...row, [key]: value } : row));
    onvalue(changed.filter(filled));
  }

  function take(at: number, column: RowColumn, text: string) {
    const place = `${at}.${column.key}`;
    const parsed = parseText(column.type, text, column.label, reading());
    if ('problem' in parsed) {
      rejected[place] = text;
      onbad?.(say(`Row ${at + 1}: ${parsed.problem.message} ${parsed.problem.hint}`));
      // It stays as it was typed: a record with it is not saved.
      put(at, column.key, text);
      return;
    }
    delete rejected[place];
    if (Object.keys(rejected).length === 0) onbad?.(null);
    put(at, column.key, parsed.value as Scalar);
  }

  function remove(at: number) {
    rejected = {};
    onbad?.(null);
    onvalue(rows.filter((_, i) => i !== at));
  }

  function filled(row: KeptRow): boolean {
    return Object.values(row).some((cell) => cell !== null && cell !== '');
  }
</script>

<Ledger
  class="rows [&_td]:p-0 [&_.control:not(:focus,[aria-invalid=true])]:border-transparent border-line border"
  {id}
  aria-label={label}
  aria-describedby={describedby}
>
  <thead>
    <tr>
      {#each columns as column (column.key)}<th>{column.label}</th>{/each}
      <th class="w-8"><span class="sr-only">Steps</span></th>
    </tr>
  </thead>
  <tbody>
    {#each lines as row, i (i)}
      <tr
        onkeydown={(event) => {
          if (!event.ctrlKey || event.key !== 'Delete' || disabled || i >= rows.length) return;
          event.preventDefault();
          remove(i);
        }}
      >
        {#each columns as column (column.key)}
          <td class="p-0!">
            <ValueInput
              type={column.type}
              value={row[column.key] ?? null}
              rejected={rejected[`${i}.${column.key}`] ?? null}
              invalid={rejected[`${i}.${column.key}`] !== undefined}
              {disabled}
              label="{column.label}, row {i + 1}"
              onvalue={(value) => put(i, column.key, value as Scalar)}
              ontext={(text) => take(i, column, text)}
            />
          </td>
        {/each}
        <td class="text-center">
          {#if !disabled && i < rows.length}
            <Button
              kind="bare"
              tabindex={-1}
              title="Ctrl+Delete"
              aria-label="Remove row {i + 1}"
              onclick={() => remove(i)}>×</Button
            >
          {/if}
        </td>
      </tr>
    {/each}
  </tbody>
</Ledger>
