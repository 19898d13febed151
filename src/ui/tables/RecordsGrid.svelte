<script lang="ts">
  import type { Snippet } from 'svelte';
  import { mayTable } from '$lib/ui/shared/may';
  import { say } from '$lib/core/words/say';
  import { reader } from '$lib/core/words/reader';
  import { doneAnswer, recordAnswer, type RecordRow } from '$lib/core/contract/answers';
  import { Button, Checkbox, Grid, Modal, type CellLook } from '$lib/ui/parts';
  import { tellSaved } from '$lib/ui/shared/toasts.svelte';
  import { settlePending } from '$lib/ui/shared/pending';
  import type { Problem } from '$lib/core/problems';
  import type { Order } from '$lib/core/table/conditions';
  import { columnOf, type Column, type Table, type House } from '$lib/core/table/definition';
  import { columnsShown, markOf, totalType, type GroupRow, type View } from '$lib/core/table/view';
  import { totalWords } from '$lib/core/table/total-words';
  import { toneOf } from '$lib/core/values/types';
  import { formatValue } from '$lib/core/values/format';
  import { isAmount, sameValue, type Value } from '$lib/core/values/types';
  import { call } from '$lib/ui/shared/api';
  import type { ChosenRecords } from './chosen.svelte';
  import ColumnInput from './ColumnInput.svelte';

  type TotalRow = Pick<GroupRow, 'value' | 'records' | 'totals'>;
  interface Props {
    table: Table;
    /** With all its columns, where `table` has only those that are shown. */
    whole?: Table;
    tables: House;
    records: readonly RecordRow[];
    view: View;
    totals: { all: TotalRow | null; groups: readonly (TotalRow & Partial<GroupRow>)[] };
    /** Opens a group, from a record on, or folds it; groups cannot be folded where it is not given. */
    onfold?: (group: GroupRow, open: { after: string | null } | null) => void;
    onwiden?: (column: string, width: number) => void;
    /** The records that are chosen to be changed together; none can be where it is not given. */
    chosen?: ChosenRecords;
    /** Sorts by a column; not offered where it is not given. */
    onsort?: (sort: Order[]) => void;
    /** How many there are of a group, in words. */
    counted?: (n: number) => string;
    /** What is said under a record. */
    note?: Snippet<[RecordRow]>;
    hasNote?: (record: RecordRow) => boolean;
    /** Called after a record was changed or deleted. */
    onchanged: () => void;
  }
  let {
    table,
    whole = table,
    tables,
    records,
    view,
    totals,
    onsort,
    onfold,
    onwiden,
    chosen,
    counted = (n) => say(`${n} records`),
    note: noteBelow,
    hasNote = () => false,
    onchanged,
  }: Props = $props();

  const { sort } = $derived(view);
  const group = $derived(view.group === null ? undefined : columnOf(whole, view.group));

  const columns = $derived(columnsShown(table.columns, view));

  const isOf = (record: RecordRow | undefined, value: Value) =>
    sameValue(record?.values[group?.key ?? ''] ?? null, value);

  /** The groups whose headings stand over a record: the one that it begins, and those without records before. */
  const headings = $derived.by(() => {
    const over: number[][] = Array.from({ length: records.length + 1 }, () => []);
    if (!group) return over;
    let at = 0;
    for (const [place, { value, shows }] of totals.groups.entries()) {
      over[at]?.push(place);
      if (shows !== undefined) at += shows;
      else while (at < records.length && isOf(records[at], value)) at++;
    }
    return over;
  });

  /** The totals of a column, each with its word. */
  function said(
    column: Column,
    row: TotalRow | undefined | null,
  ): { word: string; text: string }[] {
    return view.totals.flatMap(({ column: key, kind }, i) => {
      if (key !== column.key || !row) return [];
      const value = row.totals[i] ?? null;
      const text = formatValue(totalType(kind, column.type), value, reader());
      return [{ word: kind === 'sum' ? '' : totalWords[kind], text }];
    });
  }

  const isShown = (row: TotalRow & Partial<GroupRow>): row is GroupRow => row.open !== undefined;

  /** A value by which records are grouped, as one of its records shows it. */
  function shownOf(value: Value): string | undefined {
    const key = group?.key ?? '';
    const first = records.find(({ values }) => sameValue(values[key] ?? null, value));
    return first?.shown[key];
  }

  let at = $state({ row: 0, column: 0 });
  let pending = $state.raw<{ value: Value } | null>(null);
  let bad = $state<string | null>(null);
  let problem = $state.raw<Problem | null>(null);
  let cells = $state<ReturnType<typeof Grid>>();
  /** The record that is about to be deleted, while that is asked. */
  let leavingRecord = $state.raw<RecordRow | null>(null);

  function sortBy(column: Column) {
    const [first] = sort;
    if (!onsort) return;
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
    return row.shown[column.key] ?? formatValue(column.type, value, reader());
  }

  function look(r: number, c: number): CellLook {
    const [record, column] = [records[r], columns[c]];
    if (!record || !column) return { text: '', name: '' };
    const value = record.values[column.key] ?? null;
    return {
      text: text(record, column),
      name: `${column.label}, ${r + 1}`,
      mark: markOf(view, column.key, value),
      tone: toneOf(column.type, value),
      refers: column.type.kind === 'reference' && Boolean(record.shown[column.key]),
    };
  }

  const address = (r: number, c: number) =>
    `${table.key} ${records[r]?.id ?? ''} ${columns[c]?.key ?? ''}`;

  function find(wanted: string): { row: number; column: number } | null {
    const [of, id, key] = wanted.split(' ');
    const row = of === table.key ? records.findIndex((record) => String(record.id) === id) : -1;
    const column = columns.findIndex((candidate) => candidate.key === key);
    return row === -1 || column === -1 ? null : { row, column };
  }

  function onedit(): boolean {
    if (!mayTable(table.key, 'change')) return false;
    [pending, bad, problem] = [null, null, null];
    return true;
  }

  /** Writes the edited cell; keeps it open with the reason where that is refused. */
  async function onleave(): Promise<boolean> {
    await settlePending();
    const record = records[at.row];
    const column = columns[at.column];
    if (!record || !column || bad) return false;
    if (!pending || sameValue(pending.value, record.values[column.key] ?? null)) return true;
    const called = await call(recordAnswer, `/api/tables/${table.key}/records/${record.id}`, {
      method: 'PATCH',
      body: { version: record.version, values: { [column.key]: pending.value } },
    });
    problem = called.ok ? null : (called.problems[0] ?? null);
    // Somebody else was faster: what they wrote is shown, with the reason.
    const done = called.ok || called.status === 409;
    if (done) {
      pending = null;
      onchanged();
    }
    return done;
  }

  /** A record as it is named before it goes. */
  const lineOf = (record: RecordRow) =>
    columns
      .slice(0, 3)
      .map((column) => text(record, column))
      .join(' · ');

  async function remove(record: RecordRow) {
    leavingRecord = null;
    const { id, version } = record;
    const address = `/api/tables/${table.key}/records/${id}?version=${version}`;
    const called = await call(doneAnswer, address, { method: 'DELETE' });
    problem = called.ok ? null : (called.problems[0] ?? null);
    if (called.ok) {
      const what = { text: say(`${lineOf(record)} was deleted.`) };
      tellSaved(what, called.value.submission, onchanged);
    }
    onchanged();
  }
</script>

{#snippet groupName(row: TotalRow & Partial<GroupRow>, { label, type }: Column)}
  {#if onfold && isShown(row)}
    <Button
      kind="bare"
      class="font-semibold"
      aria-expanded={row.open}
      onclick={() => onfold(row, row.open ? null : { after: null })}
      ><span aria-hidden="true" class="text-soft inline-block w-4">{row.open ? '▾' : '▸'}</span
      >{@render nameOf(row, label, type)}</Button
    >
  {:else}
    {@render nameOf(row, label, type)}
  {/if}
{/snippet}
{#snippet nameOf(row: TotalRow & Partial<GroupRow>, label: string, type: Column['type'])}
  {row.value === null ? say('without') : ''}
  {label}{row.value === null ? '' : ':'}
  {row.value === null
    ? ''
    : (row.shown ?? shownOf(row.value) ?? formatValue(type, row.value, reader()))}
{/snippet}

{#if problem}
  <div class="text-crimson border-line border-b px-5 py-1.5" role="alert">
    {problem.message} <span class="text-soft">{problem.hint}</span>
  </div>
{/if}
<Grid
  bind:this={cells}
  bind:at
  label="Records of {table.title}"
  columns={columns.map((column) => ({
    key: column.key,
    label: column.label,
    numeric: isAmount(column.type),
    sorted: direction(column),
    width: view.columns?.find((one) => one.column === column.key)?.width ?? null,
  }))}
  count={records.length}
  keyOf={(r) => records[r]?.id ?? r}
  {look}
  {address}
  {find}
  {onedit}
  {onleave}
  onundo={() => ([pending, bad, problem] = [null, null, null])}
  onsort={onsort &&
    ((c) => {
      const column = columns[c];
      if (column) sortBy(column);
    })}
  hasNote={(r) => {
    const record = records[r];
    return noteBelow !== undefined && record !== undefined && hasNote(record);
  }}
  leadLabel="No."
  extras={[{ key: 'actions', label: say('Actions'), silent: true }]}
  headings={(r) => headings[r] ?? []}
  onwiden={onwiden &&
    ((c, width) => {
      const column = columns[c];
      if (column) onwiden(column.key, width);
    })}
  oncommand={(command, _, { top, bottom }) => {
    if (!chosen || command.do !== 'type' || command.letter !== ' ') return false;
    chosen.toggle(records.slice(top, bottom + 1));
    return true;
  }}
>
  {#snippet lead(r)}
    {@const record = records[r]}
    {#if record}
      <span class="inline-flex items-center gap-2 align-middle">
        {#if chosen}
          <Checkbox
            class={[
              'print:hidden',
              chosen.count === 0 &&
                'opacity-0 group-focus-within/line:opacity-100 group-hover/line:opacity-100 focus:opacity-100',
            ]}
            tabindex={-1}
            aria-label="Choose record {record.id}"
            checked={chosen.has(record.id)}
            onchange={() => chosen.toggle([record])}
          />
        {/if}
        <a class="min-w-[2.5ch] hover:underline" href="/tables/{table.key}/records/{record.id}"
          >{record.id}</a
        >
      </span>
    {/if}
  {/snippet}
  {#snippet heading(place)}
    {@const row = totals.groups[place]}
    {#if row && group}
      {@render groupName(row, group)}
      <span class="quiet">{counted(row.records)}</span>
      {#each columns as column (column.key)}
        {#each said(column, row) as { word, text }, i (i)}
          <span class="ms-5 font-semibold">
            <span class="quiet">{column.label} {word}</span>
            {text}
          </span>
        {/each}
      {/each}
      {#if onfold && isShown(row) && row.open && (row.begins !== null || row.next !== null)}
        <span class="ms-5 inline-flex gap-4 font-normal print:hidden">
          {#if row.begins !== null}
            <Button kind="link" onclick={() => onfold(row, { after: null })}>From the first</Button>
          {/if}
          {#if row.next !== null}
            <Button kind="link" onclick={() => onfold(row, { after: row.next })}
              >Next records</Button
            >
          {/if}
        </span>
      {/if}
    {/if}
  {/snippet}
  {#snippet editor(r, c)}
    {@const [record, column] = [records[r], columns[c]]}
    {#if record && column}
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
            if (column.type.kind === 'reference') void cells?.leave(at.row, at.column);
          }}
          onbad={(sentence) => (bad = sentence)}
        />
        {#if bad}<div class="text-crimson px-2 text-[12.5px]">{bad}</div>{/if}
      </div>
    {/if}
  {/snippet}
  {#snippet extra(r)}
    {@const record = records[r]}
    {#if record && mayTable(table.key, 'remove')}
      <Button
        kind="link"
        class="opacity-0 group-focus-within/line:opacity-100 group-hover/line:opacity-100 focus:opacity-100"
        aria-label="Delete record"
        onclick={() => (leavingRecord = record)}>Delete</Button
      >
    {/if}
  {/snippet}
  {#snippet note(r)}
    {@const record = records[r]}
    {#if record}{@render noteBelow?.(record)}{/if}
  {/snippet}
  {#snippet foot()}
    {#if totals.all && view.totals.length > 0}
      <tfoot
        class="[&>tr>*]:border-line [&>tr>*]:bg-sheet [&>tr>*]:sticky [&>tr>*]:bottom-0 [&>tr>*]:border-t-2 [&>tr>*]:align-top [&>tr>*]:font-semibold"
      >
        <tr>
          <th class="num" scope="row">All</th>
          {#each columns as column (column.key)}
            <td class={isAmount(column.type) ? 'num' : ''}>
              {#each said(column, totals.all) as { word, text }, i (i)}
                <div><span class="quiet">{word}</span> {text}</div>
              {/each}
            </td>
          {/each}
          <td></td>
        </tr>
      </tfoot>
    {/if}
  {/snippet}
</Grid>

{#if leavingRecord}
  {@const record = leavingRecord}
  <Modal open size="xs" title="Delete this record?" onclose={() => (leavingRecord = null)}>
    <p>{lineOf(record)}</p>
    <div class="flex gap-3">
      <Button onclick={() => remove(record)}>Delete</Button>
      <Button kind="other" onclick={() => (leavingRecord = null)}>Cancel</Button>
    </div>
  </Modal>
{/if}
