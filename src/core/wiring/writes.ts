import type { EntryFormula } from '../plan/formulas';
import type { ExtraWrite, Plan, Send } from '../plan/schema';
import type { Column, House } from '../table/definition';
import type { ReadyFormulas } from './ready';

/** A record written besides, made ready. */
export interface WiredWrite {
  table: string;
  /** The grid for each of whose rows it is written; `''` for the form itself, once. */
  scope: string;
  on: ExtraWrite['on'];
  /** The record that is changed; `null` where a new one is made. */
  record: EntryFormula | null;
  when: EntryFormula | null;
  values: { column: Column; formula: EntryFormula }[];
}

/** What is sent to an outside system, made ready. */
export interface WiredSend {
  connection: string;
  on: Send['on'];
  method: Send['method'];
  address: string;
  when: EntryFormula | null;
  values: { name: string; formula: EntryFormula }[];
}

/** The records written besides, made ready; a column that is gone, or has no formula to use, is left out. */
export function wireWrites(plan: Plan, tables: House, ready: ReadyFormulas): WiredWrite[] {
  return plan.writes.flatMap(({ table: key, each, on, record: named, when, values }, index) => {
    const table = tables.get(key);
    const scope = each ?? '';
    if (!table) return [];
    const place = { scope, field: null };
    const columns = Object.entries(values).flatMap(([name, source]) => {
      const column = table.columns.find((c) => c.key === name);
      const use = { at: 'write', index, part: 'value', column: name } as const;
      const formula = ready.at(use, source, place);
      return column && formula ? [{ column, formula }] : [];
    });
    const condition = ready.at({ at: 'write', index, part: 'when' }, when, place);
    const record = ready.at({ at: 'write', index, part: 'record' }, named, place);
    // A formula that names no record of the table must not turn a change into a new record.
    if (named !== null && !record) return [];
    return [{ table: key, scope, on, record, when: condition, values: columns }];
  });
}

/** What is sent, made ready; a send that lacks one of its formulas is left out whole. */
export function wireSends({ sends = [] }: Plan, ready: ReadyFormulas): WiredSend[] {
  return sends.flatMap(({ connection, on, method, address, when, values }, index) => {
    const condition = ready.at({ at: 'send', index, part: 'when' }, when);
    const names = Object.entries(values);
    const complete = names.flatMap(([name, source]) => {
      const formula = ready.at({ at: 'send', index, part: 'value', name }, source);
      return formula ? [{ name, formula }] : [];
    });
    if (complete.length < names.length || (when !== null && !condition)) return [];
    return [{ connection, on, method, address, when: condition, values: complete }];
  });
}
