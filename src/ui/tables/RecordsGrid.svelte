<script lang="ts">
  import { nothingWanted, recordAnswer } from '$lib/core/contract/answers';
  import { Button, Modal } from 'flowbite-svelte';
  import { tick } from 'svelte';
  import type { Problem } from '$lib/core/problems';
  import type { Order } from '$lib/core/table/conditions';
  import { columnOf, type Column, type Table, type House } from '$lib/core/table/definition';
  import { markOf, totalType, type View } from '$lib/core/table/view';
  import { locale } from '$lib/ui/shared/locale';
  import { totalWords } from './view-words';
  import { toneOf } from '$lib/core/values/types';
  import { formatValue } from '$lib/core/values/format';
  import { isAmount, sameValue, type Value } from '$lib/core/values/types';
  import { call } from '$lib/ui/shared/api';
  import ColumnInput from './ColumnInput.svelte';

  interface RecordRow {
    id: number;
    version: number;
    values: Record<string, Value>;
    shown: Record<string, string>;
    linked?: Record<string, string[]>;
  }
  interface TotalRow {
    value: Value;
    records: number;
    totals: readonly Value[];
  }
  interface Props {
    table: Table;
    tables: House;
    records: readonly RecordRow[];
    view: View;
    totals: { all: TotalRow | null; groups: readonly TotalRow[] };
    onsort: (sort: Order[]) => void;
    /** Called after a record was changed or deleted. */
    onchanged: () => void;
  }
  let { table, tables, records, view, totals, onsort, onchanged }: Props = $props();

  const { sort } = $derived(view);
  const group = $derived(view.group === null ? undefined : columnOf(table, view.group));

  /** The value of a group where a record is the first one of it. */
  function begins(r: number): { value: Value } | null {
    if (!group) return null;
    const value = records[r]?.values[group.key] ?? null;
    const before = records[r - 1]?.values[group.key] ?? null;
    return r > 0 && sameValue(value, before) ? null : { value };
  }

  const totalsOf = (value: Value) => totals.groups.find((row) => sameValue(row.value, value));

  /** The totals of a column, each with its word. */
  function said(
    column: Column,
    row: TotalRow | undefined | null,
  ): { word: string; text: string }[] {
    return view.totals.flatMap(({ column: key, kind }, i) => {
      if (key !== column.key || !row) return [];
      const value = row.totals[i] ?? null;
      const text = formatValue(totalType(kind, column.type), value, locale());
      return [{ word: kind === 'sum' ? '' : totalWords[kind], text }];
    });
  }

  let at = $state({ row: 0, column: 0 });
  let editing = $state(false);
  let pending = $state.raw<{ value: Value } | null>(null);
  let bad = $state<string | null>(null);
  let problem = $state.raw<Problem | null>(null);
  let grid = $state<HTMLTableElement>();
  let leaving = false;
  /** The record that is about to be deleted, while that is asked. */
  let leavingRecord = $state.raw<RecordRow | null>(null);

  const marks = (record: RecordRow, column: Column) =>
    markOf(view, column.key, record.values[column.key] ?? null);
  const numeric = (column: Column) => isAmount(column.type);

  function sortBy(column: Column) {
    const [first] = sort;
    if (first?.path !== column.key) onsort([{ path: column.key, descending: false }]);
    else onsort(first.descending ? [] : [{ path: column.key, descending: true }]);
  }

  function direction(column: Column): 'ascending' | 'descending' | 'none' {
    const [first] = sort;
    if (first?.path !== column.key) return 'none';
    return first.descending ? 'descending' : 'ascending';
  }

  function text(row: RecordRow, column: Column): string {
    const value = row.values[column.key] ?? null;
    return row.shown[column.key] ?? formatValue(column.type, value);
  }

  async function focusCell(row: number, column: number) {
    at = {
      row: Math.max(0, Math.min(row, records.length - 1)),
      column: Math.max(0, Math.min(column, table.columns.length - 1)),
    };
    await tick();
    grid?.querySelector<HTMLElement>(`[data-cell="${at.row},${at.column}"]`)?.focus();
  }

  async function edit(row: number, column: number) {
    at = { row, column };
    [editing, pending, bad, problem] = [true, null, null, null];
    await tick();
    grid?.querySelector<HTMLElement>('.editing .control')?.focus();
  }

  /** Writes the edited cell; keeps it open with the reason where that is refused. */
  async function commit(): Promise<boolean> {
    const record = records[at.row];
    const column = table.columns[at.column];
    if (!record || !column || bad) return false;
    if (!pending || sameValue(pending.value, record.values[column.key] ?? null)) {
      editing = false;
      return true;
    }
    const called = await call(recordAnswer, `/api/tables/${table.key}/records/${record.id}`, {
      method: 'PATCH',
      body: { version: record.version, values: { [column.key]: pending.value } },
    });
    if (!called.ok) {
      problem = called.problems[0] ?? null;
      if (called.status === 409) {
        editing = false;
        onchanged();
      }
      return false;
    }
    [editing, problem] = [false, null];
    onchanged();
    return true;
  }

  async function remove(record: RecordRow) {
    leavingRecord = null;
    const { id, version } = record;
    const address = `/api/tables/${table.key}/records/${id}?version=${version}`;
    const called = await call(nothingWanted, address, { method: 'DELETE' });
    problem = called.ok ? null : (called.problems[0] ?? null);
    onchanged();
  }

  function oncellkey(event: KeyboardEvent) {
    if (editing) return;
    const { row, column } = at;
    const steps: Record<string, [number, number]> = {
      ArrowDown: [1, 0],
      ArrowUp: [-1, 0],
      ArrowLeft: [0, -1],
      ArrowRight: [0, 1],
    };
    const step = steps[event.key];
    if (step) void focusCell(row + step[0], column + step[1]);
    else if (event.key === 'Enter' || event.key === 'F2') void edit(row, column);
    else if (event.key === 'Home') void focusCell(row, 0);
    else if (event.key === 'End') void focusCell(row, table.columns.length - 1);
    else return;
    event.preventDefault();
  }

  async function oneditkey(event: KeyboardEvent) {
    if (event.key === 'Escape') {
      [editing, bad, problem] = [false, null, null];
      event.stopPropagation();
      await focusCell(at.row, at.column);
    } else if (event.key === 'Enter' && !event.shiftKey) {
      event.preventDefault();
      leaving = true;
      if (await commit()) await focusCell(at.row + 1, at.column);
      leaving = false;
    } else if (event.key === 'Tab') {
      event.preventDefault();
      leaving = true;
      // A lookup takes its choice as the key passes; write after that.
      await tick();
      if (await commit()) await edit(at.row, at.column + (event.shiftKey ? -1 : 1));
      leaving = false;
    }
  }

  function onleave(event: FocusEvent) {
    const cell = event.currentTarget as HTMLElement;
    if (leaving || !editing || cell.contains(event.relatedTarget as Node | null)) return;
    void tick().then(commit);
  }
</script>

{#if problem}
  <div class="text-crimson border-line border-b px-5 py-1.5" role="alert">
    {problem.message} <span class="text-soft">{problem.hint}</span>
  </div>
{/if}
<div class="overflow-x-auto">
  <table class="ledger" role="grid" bind:this={grid} aria-label="Records of {table.title}">
    <thead>
      <tr>
        <th class="num ps-5!">No.</th>
        {#each table.columns as column (column.key)}
          <th class={numeric(column) ? 'num' : ''} aria-sort={direction(column)}>
            <button type="button" class="font-semibold" onclick={() => sortBy(column)}>
              {column.label}{{ ascending: ' ↑', descending: ' ↓', none: '' }[direction(column)]}
            </button>
          </th>
        {/each}
        <th><span class="sr-only">Steps</span></th>
      </tr>
    </thead>
    <tbody>
      {#each records as record, r (record.id)}
        {@const first = begins(r)}
        {#if first && group}
          {@const sums = totalsOf(first.value)}
          <tr class="heading">
            <th class="ps-5! text-left!" colspan={table.columns.length + 2} scope="rowgroup">
              {first.value === null ? 'without' : ''}
              {group.label}{first.value === null ? '' : ':'}
              {first.value === null ? '' : text(record, group)}
              <span class="quiet">{sums?.records.toLocaleString(locale())} records</span>
              {#each table.columns as column (column.key)}
                {#each said(column, sums) as { word, text }, i (i)}
                  <span class="total">
                    <span class="quiet">{column.label} {word}</span>
                    {text}
                  </span>
                {/each}
              {/each}
            </th>
          </tr>
        {/if}
        <tr class="group">
          <td class="num text-soft ps-5!">
            <a class="hover:underline" href="/tables/{table.key}/records/{record.id}">{record.id}</a
            >
          </td>
          {#each table.columns as column, c (column.key)}
            {#if editing && at.row === r && at.column === c}
              <td class="editing p-0!" role="gridcell" onkeydown={oneditkey} onfocusout={onleave}>
                <div class="min-w-44">
                  <ColumnInput
                    id="cell"
                    {column}
                    {tables}
                    value={pending ? pending.value : (record.values[column.key] ?? null)}
                    shown={pending ? '' : (record.shown[column.key] ?? '')}
                    linked={record.linked?.[column.key]}
                    invalid={bad !== null || problem !== null}
                    onvalue={(value) => {
                      pending = { value };
                      if (column.type.kind === 'reference') void commit();
                    }}
                    onbad={(sentence) => (bad = sentence)}
                  />
                  {#if bad}<div class="text-crimson px-2 text-[12.5px]">{bad}</div>{/if}
                </div>
              </td>
            {:else}
              <td
                role="gridcell"
                data-cell="{r},{c}"
                tabindex={at.row === r && at.column === c ? 0 : -1}
                class="max-w-[320px] truncate outline-offset-[-2px]! {numeric(column) ? 'num' : ''}"
                onkeydown={oncellkey}
                onfocus={() => (at = { row: r, column: c })}
                ondblclick={() => edit(r, c)}
              >
                {#if marks(record, column)}
                  {@const mark = marks(record, column)}
                  <span class="mark {mark?.tone}">{mark?.word}</span>
                {/if}
                {#if toneOf(column.type, record.values[column.key] ?? null)}
                  {@const tone = toneOf(column.type, record.values[column.key] ?? null)}
                  <span class="tone {tone}" aria-hidden="true"></span>
                {/if}
                <span
                  class={column.type.kind === 'reference' && record.shown[column.key] ? 'ref' : ''}
                >
                  {text(record, column)}
                </span>
              </td>
            {/if}
          {/each}
          <td class="text-right">
            <button
              type="button"
              class="textlink opacity-0 group-hover:opacity-100 focus:opacity-100"
              aria-label="Delete record {record.id}"
              onclick={() => (leavingRecord = record)}>Delete</button
            >
          </td>
        </tr>
      {/each}
    </tbody>
    {#if totals.all && view.totals.length > 0}
      <tfoot>
        <tr>
          <th class="num ps-5!" scope="row">All</th>
          {#each table.columns as column (column.key)}
            <td class={numeric(column) ? 'num' : ''}>
              {#each said(column, totals.all) as { word, text }, i (i)}
                <div><span class="quiet">{word}</span> {text}</div>
              {/each}
            </td>
          {/each}
          <td></td>
        </tr>
      </tfoot>
    {/if}
  </table>
</div>

{#if leavingRecord}
  {@const record = leavingRecord}
  <Modal open size="xs" title="Delete record {record.id}?" onclose={() => (leavingRecord = null)}>
    <p>
      {table.columns
        .slice(0, 3)
        .map((column) => text(record, column))
        .join(' · ')}
    </p>
    <div class="flex gap-3">
      <Button onclick={() => remove(record)}>Delete it</Button>
      <Button color="light" onclick={() => (leavingRecord = null)}>Keep it</Button>
    </div>
  </Modal>
{/if}

<style>
  .heading th {
    padding-top: 12px;
    font-size: 14px;
    color: var(--ink);
    background: var(--paper);
  }
  .total {
    margin-left: 20px;
    font-weight: 600;
    font-variant-numeric: tabular-nums;
  }
  tfoot th,
  tfoot td {
    position: sticky;
    bottom: 0;
    border-top: 2px solid var(--line);
    background: var(--sheet);
    font-weight: 600;
    vertical-align: top;
  }
</style>
