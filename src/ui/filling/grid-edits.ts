import Papa from 'papaparse';
import { type Entry, type Row } from '$lib/core/entry/entry';
import { isClosed } from '$lib/core/entry/host-state';
import { mostRows } from '$lib/core/entry/rows';
import type { StoredRecord } from '$lib/core/entry/stored';
import type { Field } from '$lib/core/plan/schema';
import { parseText } from '$lib/core/values/parse';
import { isoReading, type Reading } from '$lib/core/values/reading';
import type { Choice } from '$lib/core/entry/asks';
import type { Value, ValueType } from '$lib/core/values/types';
import type { Block } from '$lib/ui/parts';
import { pastedRows } from '$lib/ui/shared/pasted';

/** What pasting has done, for a sentence. */
export interface Pasted {
  rows: number;
  /** Cells for which the grid has no column. */
  beside: number;
  /** Rows for which it has no room. */
  beyond: number;
  /** Columns that were read as open formats write numbers and dates, as the reader's way did not fit. */
  plain: number;
}

/** The lines that stand in sight, and how one more is made. */
export interface Lines {
  rows: readonly Row[];
  add: () => Row;
}

/** Puts a block of text, as spreadsheets copy it, into a grid; lines are added as they are needed. */
export function pasteBlock(
  entry: Entry,
  lines: Lines,
  columns: readonly Field[],
  at: { row: number; column: number },
  text: string,
  reading: Reading,
): Pasted {
  const pasted = pastedRows(text);
  const room = Math.max(0, mostRows - at.row);
  const cells = pasted.slice(0, room);
  const rows = cells.map((_, i) => lines.rows[at.row + i] ?? lines.add());
  const readings = columns.map((field, k) => {
    const texts = cells.map((line) => line[k - at.column] ?? '');
    const type = rows[0]?.scope.fields.get(field.key)?.type;
    return type ? readingOfBlock(type, texts, reading) : reading;
  });
  let beside = 0;
  cells.forEach((line, i) => {
    const row = rows[i];
    line.forEach((cell, k) => {
      const field = columns[at.column + k];
      if (!field || !row) beside += cell.trim() === '' ? 0 : 1;
      else if (!isClosed(entry.cell(field.key, row))) {
        entry.type(field.key, cell, readings[at.column + k] ?? reading, row);
      }
    });
  });
  const plain = readings.filter((each) => each !== reading).length;
  return { rows: cells.length, beside, beyond: pasted.length - cells.length, plain };
}

/**
 * How the cells of a pasted column are read: all in one way, as the reader writes or as open formats do, the
 * first that fits all of them. What fits neither is read as the reader writes, and marked where it does not fit.
 */
export function readingOfBlock(
  type: ValueType,
  texts: readonly string[],
  reading: Reading,
): Reading {
  if (!['whole', 'decimal', 'date', 'time', 'date_time', 'duration'].includes(type.kind))
    return reading;
  const filled = texts.filter((text) => text.trim() !== '');
  const fits = (by: Reading) => filled.every((text) => 'value' in parseText(type, text, '', by));
  const plain = { ...isoReading, ...(reading.zone ? { zone: reading.zone } : {}) };
  return !fits(reading) && fits(plain) ? plain : reading;
}

/** The text of a block as spreadsheets take it. */
export function copyBlock(
  rows: readonly Row[],
  columns: readonly Field[],
  block: Block,
  shown: (field: Field, row: Row) => string,
): string {
  const lines = rows
    .slice(block.top, block.bottom + 1)
    .map((row) => columns.slice(block.left, block.right + 1).map((field) => shown(field, row)));
  return Papa.unparse(lines, { delimiter: '\t', newline: '\n' });
}

/** Empties the cells of a block that a person can set. */
export function clearBlock(
  entry: Entry,
  rows: readonly Row[],
  columns: readonly Field[],
  block: Block,
): void {
  for (const row of rows.slice(block.top, block.bottom + 1)) {
    for (const field of columns.slice(block.left, block.right + 1)) {
      if (!isClosed(entry.cell(field.key, row))) entry.set(field.key, null, null, row);
    }
  }
}

/** Gives every line of a block what its first line has. */
export function fillDown(
  entry: Entry,
  rows: readonly Row[],
  columns: readonly Field[],
  block: Block,
): void {
  const [first, ...others] = rows.slice(block.top, block.bottom + 1);
  if (!first) return;
  for (const row of others) {
    for (const field of columns.slice(block.left, block.right + 1)) {
      const { value, current } = entry.cell(field.key, first);
      if (!isClosed(entry.cell(field.key, row))) entry.set(field.key, value, current, row);
    }
  }
}

/** A line as it was with the lines that stand in it, so that it can be put back. */
export interface TakenRow {
  grid: string;
  /** What it stands in, where that is a line itself. */
  within: Row | undefined;
  /** Its place among the lines that stand there. */
  at: number;
  values: Record<string, Value>;
  choices: Map<string, Choice>;
  inner: TakenRow[];
  /** The record that the line goes on with; a copy has none. */
  stored?: StoredRecord;
}

/** Takes lines out; gives what puts them back, the first one first. */
export function takeRows(entry: Entry, rows: readonly Row[]): TakenRow[] {
  const taken = rows.map((row) => asItIs(entry, row)).sort((a, b) => a.at - b.at);
  for (const row of rows) entry.removeRow(row);
  return taken;
}

/** Puts a line, or the copy of one, at its place. */
export function putRow(entry: Entry, taken: TakenRow, within = taken.within): Row {
  const { grid, at, values, choices, stored, inner } = taken;
  const row = entry.addRow(grid, stored ? { values, stored } : { values }, at, within);
  for (const [key, choice] of choices) {
    if (!isClosed(entry.cell(key, row))) entry.set(key, choice.value, choice, row);
  }
  for (const each of inner) putRow(entry, each, row);
  return row;
}

/** A copy of a line, to stand behind it. */
export function copyOf(entry: Entry, row: Row): TakenRow {
  const copy = asItIs(entry, row, false);
  return { ...copy, at: copy.at + 1 };
}

function asItIs(entry: Entry, row: Row, withRecord = true): TakenRow {
  const { scope, stored } = row;
  const within = row.parent?.scope.key === '' ? undefined : (row.parent ?? undefined);
  const inner = [...entry.form.scopes.values()]
    .filter((grid) => grid.within === scope.key)
    .flatMap(({ key }) => entry.rows(key, row).map((r) => asItIs(entry, r, withRecord)));
  const at = entry.rows(scope.key, within).indexOf(row);
  const place = { grid: scope.key, within, at, inner, ...copied(entry, row) };
  return stored && withRecord ? { ...place, values: entry.values(row), stored } : place;
}

function copied(entry: Entry, row: Row): Pick<TakenRow, 'values' | 'choices'> {
  const own = new Set(entry.own(row));
  const values = Object.fromEntries(
    Object.entries(entry.values(row)).filter(([key]) => own.has(key)),
  );
  const choices = new Map<string, Choice>();
  for (const key of own) {
    const choice = entry.current(key, row);
    if (choice) choices.set(key, choice);
  }
  return { values, choices };
}
