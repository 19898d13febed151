import Papa from 'papaparse';
import { isClosed, type Entry, type Row } from '$lib/core/entry/entry';
import type { StoredRecord } from '$lib/core/entry/stored';
import type { Field } from '$lib/core/plan/schema';
import type { Reading } from '$lib/core/values/parse';
import type { Choice } from '$lib/core/entry/asks';
import type { Value } from '$lib/core/values/types';

/** A block of cells, by the places of its rows and columns, ends included. */
export interface Block {
  top: number;
  bottom: number;
  left: number;
  right: number;
}

/** At most so many lines does a grid hold. */
export const mostLines = 5000;

/** What pasting has done, for a sentence. */
export interface Pasted {
  rows: number;
  /** Cells for which the grid has no column. */
  beside: number;
  /** Rows for which it has no room. */
  beyond: number;
}

/** Puts a block of text, as spreadsheets copy it, into a grid; lines are added as they are needed. */
export function pasteBlock(
  entry: Entry,
  grid: string,
  columns: readonly Field[],
  at: { row: number; column: number },
  text: string,
  reading: Reading,
): Pasted {
  const parsed = Papa.parse<string[]>(text.replace(/\r?\n$/, ''), { delimiter: '\t' });
  const room = Math.max(0, mostLines - at.row);
  const cells = parsed.data.slice(0, room);
  let beside = 0;
  cells.forEach((line, i) => {
    const row = entry.rows(grid)[at.row + i] ?? entry.addRow(grid);
    line.forEach((cell, k) => {
      const field = columns[at.column + k];
      if (!field) beside += cell.trim() === '' ? 0 : 1;
      else if (!isClosed(entry.cell(field.key, row))) entry.type(field.key, cell, reading, row);
    });
  });
  return { rows: cells.length, beside, beyond: parsed.data.length - cells.length };
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
  grid: string,
  columns: readonly Field[],
  block: Block,
): void {
  for (const row of entry.rows(grid).slice(block.top, block.bottom + 1)) {
    for (const field of columns.slice(block.left, block.right + 1)) {
      if (!isClosed(entry.cell(field.key, row))) entry.set(field.key, null, null, row);
    }
  }
}

/** Gives every line of a block what its first line has. */
export function fillDown(
  entry: Entry,
  grid: string,
  columns: readonly Field[],
  block: Block,
): void {
  const [first, ...others] = entry.rows(grid).slice(block.top, block.bottom + 1);
  if (!first) return;
  for (const row of others) {
    for (const field of columns.slice(block.left, block.right + 1)) {
      const { value, current } = entry.cell(field.key, first);
      if (!isClosed(entry.cell(field.key, row))) entry.set(field.key, value, current, row);
    }
  }
}

/** A line as it was, so that it can be put back. */
export interface TakenRow {
  at: number;
  values: Record<string, Value>;
  choices: Map<string, Choice>;
  /** The record that the line goes on with; a copy has none. */
  stored?: StoredRecord;
}

/** Takes a line out; gives what puts it back. */
export function takeRow(entry: Entry, row: Row): TakenRow {
  const at = entry.rows(row.scope.key).indexOf(row);
  const { stored } = row;
  const taken = stored
    ? { at, ...copied(entry, row), values: entry.values(row), stored }
    : { at, ...copied(entry, row) };
  entry.removeRow(row);
  return taken;
}

/** Puts a line, or the copy of one, at a place. */
export function putRow(entry: Entry, grid: string, taken: TakenRow): Row {
  const { at, values, choices, stored } = taken;
  const row = entry.addRow(grid, stored ? { values, stored } : { values }, at);
  for (const [key, choice] of choices) {
    if (!isClosed(entry.cell(key, row))) entry.set(key, choice.value, choice, row);
  }
  return row;
}

/** A copy of a line, to stand behind it. */
export function copyOf(entry: Entry, row: Row): TakenRow {
  const at = entry.rows(row.scope.key).indexOf(row) + 1;
  return { at, ...copied(entry, row) };
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
