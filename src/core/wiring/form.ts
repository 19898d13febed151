import {
  compileIn,
  formNames,
  formulasOf,
  messageParts,
  type EntryFormula,
  type EntryHost,
  type FormulaUse,
} from '../plan/formulas';
import type { Names } from '../formula/scope';
import { kindFitsType } from '../formula/convert';
import { kindWords } from '../formula/kinds';
import { wholeProblem, type FormulaProblem } from '../formula/syntax';
import { chosenColumn, heldTypeIn } from '../plan/held';
import {
  askedValue,
  narrowedByOf,
  scopesOf,
  tableChoices,
  type Field,
  type PlanScope,
  type Plan,
} from '../plan/schema';
import type { House } from '../table/definition';
import { typePhrase, type ValueType } from '../values/types';
import { buttonFormulas, wireButtons, type WiredButton } from './buttons';
import { buildGraph, type Graph } from './graph';
import { readField } from './sources';
import type { FormulaFinding, WiredField, WiredScope } from './wired';
import {
  asWrite,
  nothingWritten,
  wireSends,
  wireWrites,
  type WiredSend,
  type WiredWrite,
} from './writes';

/** A plan made ready for filling. */
export interface WiredForm {
  plan: Plan;
  tables: House;
  scopes: ReadonlyMap<string, WiredScope>;
  /** The fields of the form itself. */
  fields: ReadonlyMap<string, WiredField>;
  graph: Graph;
  /** The names that formulas of each scope may use. */
  names: ReadonlyMap<string, Names<EntryHost>>;
  writes: readonly WiredWrite[];
  sends: readonly WiredSend[];
  buttons: readonly WiredButton[];
  findings: readonly FormulaFinding[];
  /** The labels along the first circle, the first one repeated; `null` where there is none. */
  cycle: readonly string[] | null;
}

/**
 * Wires a plan over the tables as they are: compiles its formulas and puts everything that follows
 * from something else in order. What leads nowhere is left out (the checkup reports it).
 */
export function wireForm(plan: Plan, tables: House): WiredForm {
  const names = formNames(plan, tables);
  const findings: FormulaFinding[] = [];
  const scopes = new Map<string, WiredScope>();
  for (const scope of scopesOf(plan)) {
    const list = scope.fields.map((field, index) =>
      wireField(scope, field, index, names.get(scope.key), tables, findings),
    );
    const fields = new Map(list.map((wired) => [wired.field.key, wired]));
    for (const from of list) {
      for (const bring of from.field.brings) {
        const into = bring.into === null ? undefined : fields.get(bring.into);
        if (into && into !== from) into.broughtBy ??= { from, bring };
      }
    }
    const { key, title, table, link, within } = scope;
    // What would stand in a grid that is not there stands nowhere; the checkup reports it.
    if (within !== null && !scopes.has(within)) continue;
    const shownWhen = wireGridCondition(scope, 'whole', names, findings);
    const rowsWhen = wireGridCondition(scope, 'rows', names, findings);
    scopes.set(key, { key, title, table, link, within, shownWhen, rowsWhen, fields, list });
  }
  const root = scopes.get('');
  if (!root) throw new RangeError('a plan has a root scope');
  const writes = wireWrites(plan, names, tables, findings);
  const sends = wireSends(plan, names, findings);
  const buttons = wireButtons(plan, names.get(''), ({ label }, source, found) => {
    findings.push({ scope: '', field: null, use: { at: 'button', label }, source, found });
  });
  const pressed = buttons.map((button) => ({
    ...nothingWritten,
    values: buttonFormulas(button).map((formula) => ({ formula })),
  }));
  noteFacts(scopes, [...writes, ...sends.map(asWrite), ...pressed], tables);
  const { graph, cycle } = buildGraph(scopes);
  return {
    plan,
    tables,
    scopes,
    fields: root.fields,
    graph,
    names,
    writes,
    sends,
    buttons,
    findings,
    cycle,
  };
}

/** Every formula of a field that was made ready. */
export function wiredFormulas(wired: WiredField): EntryFormula[] {
  const { computes, initially, shownWhen, requiredWhen, lockedWhen, checks } = wired;
  return [
    ...[computes, initially, shownWhen, requiredWhen, lockedWhen],
    ...checks.flatMap(({ holds, message }) => [
      holds,
      ...message.filter((p) => typeof p !== 'string'),
    ]),
  ].filter((formula) => formula !== null);
}

function wireField(
  scope: PlanScope,
  field: Field,
  index: number,
  names: Names<EntryHost> | undefined,
  tables: House,
  findings: FormulaFinding[],
): WiredField {
  const type = heldTypeIn(scope, field, tables);
  const ready = new Map<string, EntryFormula>();
  for (const { use, source } of formulasOf(field)) {
    const compiled = compileIn(names, source);
    const found =
      'problem' in compiled ? compiled.problem : misfitProblem(compiled.formula, use, field, type);
    if (found) findings.push({ scope: scope.key, field, use, source, found });
    else if ('formula' in compiled) ready.set(source, compiled.formula);
  }
  const formula = (source: string | null) => (source === null ? null : (ready.get(source) ?? null));
  const checks = field.checks.flatMap(({ holds, message }) => {
    const check = ready.get(holds);
    if (!check) return [];
    const parts = messageParts(message).map((part) =>
      part.formula ? (ready.get(part.text) ?? `{${part.text}}`) : part.text,
    );
    return [{ holds: check, message: parts }];
  });
  const narrowedBy = [
    ...narrowedByOf(field),
    ...(askedValue(field)?.narrowings ?? []).map((n) => n.field),
  ];
  return {
    field,
    type,
    scope: scope.key,
    index,
    narrowedBy: [...new Set(narrowedBy)],
    facts: new Map(),
    broughtBy: null,
    computes: formula(field.computes),
    initially: formula(field.initially),
    shownWhen: formula(field.shownWhen),
    requiredWhen: formula(field.requiredWhen),
    lockedWhen: formula(field.lockedWhen),
    checks,
  };
}

/** Makes the condition ready under which a grid is there, or a row of it stands in sight. */
function wireGridCondition(
  scope: PlanScope,
  part: 'whole' | 'rows',
  names: ReadonlyMap<string, Names<EntryHost>>,
  findings: FormulaFinding[],
): EntryFormula | null {
  const { key } = scope;
  const source = part === 'whole' ? scope.shownWhen : scope.rowsWhen;
  if (source === null) return null;
  const compiled = compileIn(names.get(part === 'whole' ? '' : key), source);
  const found =
    'problem' in compiled
      ? compiled.problem
      : ['yes_no', 'any', 'nothing'].includes(compiled.formula.kind.is)
        ? null
        : wholeProblem(source, 'formula_wrong_kind', {
            given: source,
            kind: kindWords(compiled.formula.kind),
            wanted: 'yes/no',
          });
  if (found) findings.push({ scope: key, field: null, use: { at: 'grid', part }, source, found });
  return 'formula' in compiled && !found ? compiled.formula : null;
}

/** A formula whose result cannot be what is asked for: the field's value, or yes or no. */
export function misfitProblem(
  formula: EntryFormula,
  use: FormulaUse,
  field: Field,
  type: ValueType,
): FormulaProblem | null {
  if (use.at === 'computes' || use.at === 'initially') {
    // A key that is typed may also begin as text.
    const typed = tableChoices(field)?.typedBy != null;
    if (typed && use.at === 'initially' && formula.kind.is === 'text') return null;
    return resultMisfit(formula, field.label, type);
  }
  if (use.at === 'check' && use.part === 'message') return null;
  if (['yes_no', 'any', 'nothing'].includes(formula.kind.is)) return null;
  const details = { given: formula.source, kind: kindWords(formula.kind), wanted: 'yes/no' };
  return wholeProblem(formula.source, 'formula_wrong_kind', details);
}

/** A formula whose result cannot be held by something of this label and type. */
export function resultMisfit(
  formula: EntryFormula,
  label: string,
  type: ValueType,
): FormulaProblem | null {
  if (kindFitsType(formula.kind, type)) return null;
  const details = { kind: kindWords(formula.kind), label, held: typePhrase(type) };
  return wholeProblem(formula.source, 'formula_result', details);
}

/** Collects, for each lookup, the columns of its record that brings and formulas read. */
function noteFacts(
  scopes: ReadonlyMap<string, WiredScope>,
  writes: readonly ReturnType<typeof asWrite>[],
  tables: House,
): void {
  const note = (wired: WiredField | undefined, path: string) => {
    if (!wired || path === '') return;
    const column = chosenColumn(tables, wired.field, wired.type, path);
    if (column) (wired.facts as Map<string, ValueType>).set(path, column.type);
  };
  const noteReads = (scope: WiredScope, formulas: readonly EntryFormula[]) => {
    for (const read of formulas.flatMap((formula) => formula.reads)) {
      const found = readField(scopes, scope, read);
      if (found) note(found.wired, found.rest.join('.'));
    }
  };
  for (const { scope: key, record, when, values } of writes) {
    const scope = scopes.get(key);
    const whole = [record, when].filter((formula) => formula !== null);
    const formulas = [...whole, ...values.map((value) => value.formula)];
    if (scope) noteReads(scope, formulas);
  }
  for (const scope of scopes.values()) {
    for (const wired of scope.list) {
      for (const { path } of wired.field.brings) if (path !== null) note(wired, path);
      const { choices } = wired.field;
      if (choices?.kind === 'columns') {
        for (const path of choices.paths) note(scope.fields.get(choices.of), path);
      }
      noteReads(scope, wiredFormulas(wired));
    }
    const root = scopes.get('');
    if (root && scope.shownWhen) noteReads(root, [scope.shownWhen]);
    if (scope.rowsWhen) noteReads(scope, [scope.rowsWhen]);
  }
}
