import type { FormulaSite } from '../plan/formula-sites';
import type { EntryFormula } from '../plan/formulas';
import type { FormulaProblem } from '../formula/syntax';
import type { Bring, Field } from '../plan/schema';
import type { Source, Sources } from '../plan/source';
import type { ValueType } from '../values/types';

/** A check made ready: what must hold, and its message in parts. */
export interface WiredCheck {
  holds: EntryFormula;
  message: readonly (string | EntryFormula)[];
}

/** A field with all that filling needs to know of it. */
export interface WiredField {
  field: Field;
  type: ValueType;
  /** The key of its grid; `''` for the form itself. */
  scope: string;
  /** Its place among the fields of its scope. */
  index: number;
  /** The fields that narrow its choices, as its narrowings name them. */
  narrowedBy: string[];
  /** Where its list, its value and the columns of its chosen record come from. */
  sources: Sources;
  /** Columns of the chosen record that brings and formulas read, each with its type. */
  columns: ReadonlyMap<string, ValueType>;
  /** The lookup that brings its value. */
  broughtBy: { from: WiredField; bring: Bring } | null;
  computes: EntryFormula | null;
  initially: EntryFormula | null;
  shownWhen: EntryFormula | null;
  requiredWhen: EntryFormula | null;
  lockedWhen: EntryFormula | null;
  checks: WiredCheck[];
  /** All of these formulas. */
  formulas: readonly EntryFormula[];
}

/** The form itself, or the rows of a grid. */
export interface WiredScope {
  key: string;
  title: string;
  table: string;
  link: string | null;
  /** The grid to whose rows these belong. */
  within: string | null;
  /** Under which condition, of the form, a grid is there. */
  shownWhen: EntryFormula | null;
  /** Under which condition, of a row, it stands in sight. */
  rowsWhen: EntryFormula | null;
  fields: ReadonlyMap<string, WiredField>;
  list: readonly WiredField[];
}

/** A formula of a plan, made ready. */
export interface WiredFormula extends FormulaSite {
  formula: EntryFormula;
}

/** A formula of a plan that cannot be used; it is left out. */
export interface FormulaFinding extends FormulaSite {
  found: FormulaProblem;
}

/** Whether nobody types the value of a field. */
export function isDerived({ computes, field, sources, broughtBy }: WiredField): boolean {
  if (computes !== null || field.computes !== null || sources.value !== null) return true;
  return broughtBy !== null && !broughtBy.bring.editable;
}

/** The source of what is asked for a field; a typed key is looked up in its list. */
export function sourceOf(
  { sources }: WiredField,
  gives: 'list' | 'value' | 'record' | 'key',
): Source | null {
  return sources[gives === 'key' ? 'list' : gives];
}

/** Whether what an entry asks of a field is answered by a system outside. */
export function readsOutsideAt(
  scopes: ReadonlyMap<string, WiredScope>,
  { kind, field, grid }: { kind: 'list' | 'record' | 'value' | 'key'; field: string; grid: string },
): boolean {
  const wired = scopes.get(grid)?.fields.get(field);
  return wired !== undefined && sourceOf(wired, kind)?.from === 'outside';
}

/** Whether anything of a field comes from a system outside. */
export function readsOutside({ sources }: WiredField): boolean {
  return Object.values(sources).some((source) => source?.from === 'outside');
}
