import { say } from '../words/say';
import { shownPaths } from '../plan/held';
import { tableChoices } from '../plan/choices';
import { problem } from '../problems';
import { shortLabel } from '../table/paths';
import { sameValue, type Value } from '../values/types';
import type { Choice } from './asks';
import type { Cell } from './host-state';
import { putChoice, waitsFor } from './choosing';
import type { Cause, Life } from './life';

/** Asks for the columns of the chosen record, where brings or formulas read any. */
export function refreshColumns(life: Life, cell: Cell, cause: Cause): void {
  if (cell.wired.columns.size === 0) return;
  cell.question('record').cause = cause;
  // What a query gives depends on what it is given, too: `ask` sees whether that is another now.
  if (cell.columns.record === cell.value && cell.wired.sources.record?.from === 'table') {
    life.drop(cell, 'record');
    return;
  }
  if (cell.value === null) {
    life.drop(cell, 'record');
    cell.question('record').answeredFor = null;
    cell.columns = { record: null, values: null };
    life.feed(cell, 'record', cause);
    return;
  }
  life.askColumns(cell, cause);
}

/** Takes the columns of a record that was asked for. */
export function takeColumns(
  life: Life,
  cell: Cell,
  record: Value,
  values: Readonly<Record<string, Value>> | null,
  took: number | undefined,
): void {
  const before = cell.columns;
  cell.columns = { record, values };
  const { cause } = cell.question('record');
  for (const { path, into } of cell.wired.field.brings) {
    if (path === null || into !== null) continue;
    const value = values?.[path] ?? null;
    if (before.record === record && sameValue(before.values?.[path] ?? null, value)) continue;
    const by = cause ?? cell.name;
    life.note(cell, {
      kind: 'brought',
      cause: by,
      value,
      path,
      ...(took === undefined ? {} : { took }),
    });
  }
  life.feed(cell, 'record', cause);
}

/** Asks for an aggregate, or a value outside, under the values as they are. */
export function refreshValue(life: Life, cell: Cell, cause: Cause): void {
  if (!cell.wired.sources.value) return;
  cell.question('value').cause = cause;
  const given = life.given(cell);
  if (given === null) {
    life.drop(cell, 'value');
    life.feed(cell, 'read', cause);
    return;
  }
  // What the record holds stands while nothing is changed that it follows from.
  if (cell.base !== undefined && !life.isAskedAnew(cell)) {
    life.drop(cell, 'value');
    cell.question('value').answeredFor = null;
    life.feed(cell, 'read', cause);
    return;
  }
  askValue(life, cell, cause);
  life.feed(cell, 'read', cause);
}

/** Asks for an aggregate, or a value outside, unless it waits for an empty field; true where the answer is open. */
export function askValue(life: Life, cell: Cell, cause: Cause): boolean {
  const given = life.givenNow(cell);
  cell.waitsFor = waitsFor(life, cell, cell.wired.sources.value);
  if (cell.waitsFor === null) return life.ask(cell, 'value', given, null, cause);
  life.drop(cell, 'value');
  cell.question('value').answeredFor = null;
  cell.readValue = null;
  return false;
}

/** Takes an aggregate that was asked for. */
export function takeValue(
  life: Life,
  cell: Cell,
  value: Value,
  took: number | undefined,
  at: string | null = null,
): void {
  cell.readValue = value;
  cell.readAt = at;
  cell.took = took;
  life.feed(cell, 'read', cell.question('value').cause);
}

/** Takes a typed key: empties the field and asks which record it names. */
export function typeKey(life: Life, cell: Cell, text: string, cause: Cause): void {
  const key = text.trim();
  life.drop(cell, 'key');
  cell.rejected = null;
  cell.keyText = null;
  const changed = cell.value !== null;
  if (changed) putChoice(life, cell, null, null);
  if (key !== '') {
    const waits = waitsFor(life, cell);
    const given = life.given(cell);
    if (waits !== null || given === null) {
      const first = waits === null ? '' : (life.source(cell, waits)?.wired.field.label ?? waits);
      const { label } = cell.wired.field;
      cell.rejected = { text, problem: problem('choose_first', { label, first }) };
    } else {
      cell.keyText = key;
      cell.question('key').answeredFor = null;
      life.ask(cell, 'key', given, key, cause ?? cell.name);
    }
  }
  if (changed) life.feed(cell, 'value', cause ?? cell.name);
}

/** The columns by which people know the records of a list: `code, title or composer`. */
function shownColumns(life: Life, cell: Cell): string {
  const choices = tableChoices(cell.wired.field);
  const { tables } = life.form;
  const table = tables.get(choices?.table ?? '');
  if (!choices || !table) return 'key';
  const labels = shownPaths(choices, tables).map((path) => shortLabel(tables, table, path));
  const last = labels.pop()?.toLowerCase() ?? 'key';
  return labels.length > 0 ? say(`${labels.join(', ').toLowerCase()} or ${last}`) : last;
}

/** A typed key that waited for what narrows the list is looked up once that is there. */
export function retryKey(life: Life, cell: Cell, cause: Cause): void {
  const { rejected } = cell;
  if (rejected?.problem.code !== 'choose_first' || cause === null) return;
  if (waitsFor(life, cell) === null && life.given(cell) !== null) {
    typeKey(life, cell, rejected.text, cause);
  }
}

/** Takes the record that a typed key names, or says that there is none. */
export function takeNamed(life: Life, cell: Cell, named: Choice | null): void {
  const text = cell.keyText ?? '';
  cell.keyText = null;
  const { field } = cell.wired;
  const cause = cell.question('key').cause;
  if (named) {
    life.note(cell, { kind: 'named', cause, value: named.value });
    cell.own = true;
    putChoice(life, cell, named.value, named);
    life.feed(cell, 'value', cause ?? cell.name);
    return;
  }
  const choices = tableChoices(field);
  const table = life.form.tables.get(choices?.table ?? '');
  const column = table?.columns.find((c) => c.key === choices?.typedBy);
  const details = {
    table: table?.title.toLowerCase() ?? '',
    column: column?.label.toLowerCase() ?? shownColumns(life, cell),
    given: text,
  };
  cell.rejected = { text, problem: problem('unknown_match', details) };
  life.note(cell, { kind: 'not named', cause, value: text });
}
