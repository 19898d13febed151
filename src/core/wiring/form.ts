import { sourcesOf } from '../plan/source';
import { formNames, type EntryHost } from '../plan/formulas';
import type { Names } from '../formula/scope';
import { chosenColumn, heldTypeIn } from '../plan/held';
import { type Field, type Plan } from '../plan/schema';
import { scopesOf, type PlanScope } from '../plan/scopes';
import type { House } from '../table/definition';
import type { ValueType } from '../values/types';
import { wireAfter, wireMails, type WiredAfter, type WiredMail } from './after';
import { wireButtons, type WiredButton } from './buttons';
import { buildGraph, type Graph } from './graph';
import { readyFormulas, readyText, type ReadyFormulas } from './ready';
import { readField } from './sources';
import type { FormulaFinding, WiredCheck, WiredField, WiredFormula, WiredScope } from './wired';
import { wireSends, wireWrites, type WiredSend, type WiredWrite } from './writes';

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
  after: WiredAfter | null;
  mails: readonly WiredMail[];
  /** Every formula that can be used, with its place. */
  formulas: readonly WiredFormula[];
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
  const ready = readyFormulas(plan, tables, names);
  const scopes = new Map<string, WiredScope>();
  for (const scope of scopesOf(plan)) {
    const list = scope.fields.map((field, index) => wireField(scope, field, index, tables, ready));
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
    const condition = { at: 'grid', grid: key } as const;
    const shownWhen = ready.at({ ...condition, part: 'whole' }, scope.shownWhen);
    const own = { scope: key, field: null };
    const rowsWhen = ready.at({ ...condition, part: 'rows' }, scope.rowsWhen, own);
    scopes.set(key, { key, title, table, link, within, shownWhen, rowsWhen, fields, list });
  }
  const root = scopes.get('');
  if (!root) throw new RangeError('a plan has a root scope');
  const writes = wireWrites(plan, tables, ready);
  const sends = wireSends(plan, ready);
  const buttons = wireButtons(plan, ready);
  const after = wireAfter(plan, ready);
  const mails = wireMails(plan, ready);
  noteColumns(scopes, ready.all, tables);
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
    after,
    mails,
    formulas: ready.all,
    findings: ready.findings,
    cycle,
  };
}

function wireField(
  scope: PlanScope,
  field: Field,
  index: number,
  tables: House,
  ready: ReadyFormulas,
): WiredField {
  const place = { scope: scope.key, field };
  const rule = (at: 'computes' | 'initially' | 'shownWhen' | 'requiredWhen' | 'lockedWhen') =>
    ready.at({ at }, field[at], place);
  const checks = field.checks.flatMap(({ holds, message }, i): WiredCheck[] => {
    const check = ready.at({ at: 'check', index: i, part: 'holds' }, holds, place);
    if (!check) return [];
    const use = { at: 'check', index: i, part: 'message' } as const;
    return [{ holds: check, message: readyText(ready, use, message, place) }];
  });
  const rules = {
    computes: rule('computes'),
    initially: rule('initially'),
    shownWhen: rule('shownWhen'),
    requiredWhen: rule('requiredWhen'),
    lockedWhen: rule('lockedWhen'),
  };
  const said = checks.flatMap(({ holds, message }) => [holds, ...message]);
  const formulas = [...Object.values(rules), ...said].filter(
    (formula) => formula !== null && typeof formula !== 'string',
  );
  const type = heldTypeIn(scope, field, tables);
  const sources = sourcesOf(field, type);
  const awaits = [...(sources.list?.awaits ?? []), ...(sources.value?.awaits ?? [])];
  return {
    field,
    type,
    scope: scope.key,
    index,
    narrowedBy: [...new Set(awaits.map((awaited) => awaited.field))],
    sources,
    columns: new Map(),
    broughtBy: null,
    ...rules,
    checks,
    formulas,
  };
}

/** Collects, for each lookup, the columns of its record that brings and formulas read. */
function noteColumns(
  scopes: ReadonlyMap<string, WiredScope>,
  formulas: readonly WiredFormula[],
  tables: House,
): void {
  const note = (wired: WiredField | undefined, path: string) => {
    if (!wired || path === '') return;
    const column = chosenColumn(tables, wired.field, wired.type, path);
    if (column) (wired.columns as Map<string, ValueType>).set(path, column.type);
  };
  for (const { scope: key, formula } of formulas) {
    const scope = scopes.get(key);
    for (const read of scope ? formula.reads : []) {
      const found = scope && readField(scopes, scope, read);
      if (found) note(found.wired, found.rest.join('.'));
    }
  }
  for (const scope of scopes.values()) {
    for (const { field } of scope.list) {
      for (const { path } of field.brings) {
        if (path !== null) note(scope.fields.get(field.key), path);
      }
      const { choices } = field;
      if (choices?.kind !== 'columns') continue;
      for (const path of choices.paths) note(scope.fields.get(choices.of), path);
    }
  }
}
