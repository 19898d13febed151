import { kindFitsType } from '../formula/convert';
import type { Names } from '../formula/scope';
import { kindWords, type Kind } from '../formula/kinds';
import { compileIn, type EntryFormula, type EntryHost, type FormulaUse } from '../plan/formulas';
import { wholeProblem } from '../formula/syntax';
import type { ExtraWrite, Plan, Send } from '../plan/schema';
import type { Column, House } from '../table/definition';
import type { FormulaFinding } from './wired';

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

/** Makes the formulas of the records written besides ready; a column that is gone is left out. */
export function wireWrites(
  plan: Plan,
  names: ReadonlyMap<string, Names<EntryHost>>,
  tables: House,
  findings: FormulaFinding[],
): WiredWrite[] {
  const ready = (scope: string, source: string, use: FormulaUse, fits: (kind: Kind) => boolean) => {
    const compiled = compileIn(names.get(scope), source);
    if ('formula' in compiled && fits(compiled.formula.kind)) return compiled.formula;
    const details = {
      given: source,
      kind: 'formula' in compiled ? kindWords(compiled.formula.kind) : '',
      wanted: 'another',
    };
    const found =
      'problem' in compiled
        ? compiled.problem
        : wholeProblem(source, 'formula_wrong_kind', details);
    findings.push({ scope, field: null, use, source, found });
    return null;
  };
  return plan.writes.flatMap(({ table: key, each, on, record: named, when, values }, index) => {
    const table = tables.get(key);
    const scope = each ?? '';
    if (!table || !names.has(scope)) return [];
    const yes = (kind: Kind) => ['yes_no', 'any'].includes(kind.is);
    const columns = Object.entries(values).flatMap(([name, source]) => {
      const column = table.columns.find((c) => c.key === name);
      const use: FormulaUse = { at: 'write', index, column: name };
      const formula =
        column && ready(scope, source, use, (kind) => kindFitsType(kind, column.type));
      return column && formula ? [{ column, formula }] : [];
    });
    const condition =
      when === null ? null : ready(scope, when, { at: 'write', index, column: '' }, yes);
    const ofTable = (kind: Kind) => kind.is === 'record' && kind.of === key;
    const at: FormulaUse = { at: 'write', index, column: 'record' };
    const record = named === null ? null : ready(scope, named, at, ofTable);
    // A formula that names no record of the table must not turn a change into a new record.
    if (named !== null && !record) return [];
    return [{ table: key, scope, on, record, when: condition, values: columns }];
  });
}

/** Makes the formulas of what is sent ready; a send that lacks one is left out whole. */
export function wireSends(
  plan: Plan,
  names: ReadonlyMap<string, Names<EntryHost>>,
  findings: FormulaFinding[],
): WiredSend[] {
  return (plan.sends ?? []).flatMap(({ connection, on, method, address, when, values }, index) => {
    const ready = (source: string, name: string, fits: (kind: Kind) => boolean) => {
      const compiled = compileIn(names.get(''), source);
      if ('formula' in compiled && fits(compiled.formula.kind)) return compiled.formula;
      const details = { given: source, kind: 'something else', wanted: name || 'yes/no' };
      const found =
        'problem' in compiled
          ? compiled.problem
          : wholeProblem(source, 'formula_wrong_kind', details);
      findings.push({ scope: '', field: null, use: { at: 'send', index, name }, source, found });
      return null;
    };
    const plain = (kind: Kind) => !['list', 'record', 'range'].includes(kind.is);
    const made = Object.entries(values).map(([name, source]) => ({
      name,
      formula: ready(source, name, plain),
    }));
    const condition =
      when === null ? null : ready(when, '', (kind) => ['yes_no', 'any'].includes(kind.is));
    const complete = made.flatMap(({ name, formula }) => (formula ? [{ name, formula }] : []));
    if (complete.length < made.length || (when !== null && !condition)) return [];
    return [{ connection, on, method, address, when: condition, values: complete }];
  });
}

/** The formulas of a send where those of a write are looked through. */
export function asWrite({ when, values }: WiredSend): Pick<
  WiredWrite,
  'scope' | 'record' | 'when'
> & {
  values: { formula: EntryFormula }[];
} {
  return { ...nothingWritten, when, values };
}

/** What writes nothing, and reads nothing. */
export const nothingWritten = { scope: '', record: null, when: null };
