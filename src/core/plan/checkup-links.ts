import { say } from '../words/say';
import { listSource, valueSource } from './source';
import { toldNames } from '../outside/sending';
import { columnOf, mustBeGiven, type House } from '../table/definition';
import { resolvePath } from '../table/paths';
import { comparable, isAmount, typePhrase } from '../values/types';
import type { Examined, Note } from './finding';
import { checkNarrowings } from './checkup-narrowings';
import { updateField } from './edit';
import { chosenColumn, heldTypeIn } from './held';
import { type Bring, type Field, type Plan } from './schema';
import { aggregateWords } from './words';
import { addressOf, type PlanScope, fieldOf } from './scopes';
import { tableChoices } from './choices';

/** Examines what a field takes from other records: brings, rollups, columns to read. */
export function checkLinks(examined: Examined, field: Field, note: Note): void {
  const { scope } = examined;
  if (field.choices?.kind === 'columns') {
    const { of } = field.choices;
    const lookup = scope.fields.find((f) => f.key === of);
    if (!lookup || heldTypeIn(scope, lookup, examined.tables).kind !== 'reference') {
      note('problem', 'columns_of_missing', { field: of });
    }
  }
  checkStored(examined, field, note);
  checkRollup(examined, field, note);
  for (const bring of field.brings) checkBring(examined, field, bring, note);
  checkSources(examined, field, note);
}

/** What is stored by a copy, and a field that nobody will ever see. */
function checkStored({ tables, scope }: Examined, field: Field, note: Note): void {
  if (field.shownWhen?.trim() === 'false') note('hint', 'never_shown', {});
  const choices = tableChoices(field);
  const source = tables.get(choices?.table ?? '');
  if (choices?.stores.kind !== 'copy' || !source) return;
  const copied = columnOf(source, choices.stores.column);
  if (choices.distinct && copied?.unique) {
    note('hint', 'distinct_unique', { column: copied.label });
  }
  const target = tables.get(scope.table);
  const taken = target && field.savesTo ? columnOf(target, field.savesTo) : undefined;
  if (copied?.type.kind !== 'text' || taken?.type.kind !== 'text') return;
  const [length, limit] = [copied.type.length, taken.type.length];
  if (length > limit) note('hint', 'copy_too_long', { length, limit, column: taken.label });
}

function checkRollup(examined: Examined, field: Field, note: Note): void {
  const { rollup } = field;
  if (!rollup) return;
  const { tables } = examined;
  const table = tables.get(rollup.table);
  if (!table) return note('problem', 'rollup_table_missing', { table: rollup.table });
  const paths = [...rollup.conditions, ...rollup.less, ...rollup.narrowings].map((c) => c.path);
  if (rollup.aggregate !== 'count') paths.push(rollup.path ?? '');
  for (const path of new Set(paths)) {
    if (resolvePath(tables, table, path)) continue;
    note('problem', 'rollup_path_missing', { table: table.title, column: path });
  }
  const column = rollup.path === null ? null : resolvePath(tables, table, rollup.path)?.column;
  const { aggregate } = rollup;
  const counts = aggregate === 'sum' || aggregate === 'average';
  if (counts && column && !isAmount(column.type)) {
    note('problem', 'rollup_not_number', { column: column.label, aggregate });
  }
  if (rollup.less.length > 0 && aggregate !== 'sum' && aggregate !== 'count') {
    note('problem', 'rollup_takes_off', { aggregate: aggregateWords[aggregate] });
  }
  checkNarrowings(examined, field, table, note);
}

function checkBring({ tables, scope }: Examined, field: Field, bring: Bring, note: Note): void {
  const type = heldTypeIn(scope, field, tables);
  const from =
    field.choices?.kind === 'outside'
      ? tables.queries.get(field.choices.query)
      : type.kind === 'reference' && tables.get(type.table);
  const removed = {
    label: say('Do not bring it'),
    apply: (plan: Plan) =>
      updateField(plan, addressOf(scope.key, field.key), {
        brings: field.brings.filter((other) => other !== bring),
      }),
  };
  if (!from) return note('problem', 'bring_without_record', {}, removed);
  const into = scope.fields.find((f) => f.key === bring.into);
  if (bring.into !== null && !into) {
    note('problem', 'bring_into_missing', { field: bring.into }, removed);
  }
  if (bring.path === null) {
    const by = scope.fields.find((f) => f.key === bring.by);
    if (by?.choices?.kind === 'columns') return;
    return note('problem', 'bring_by_missing', { field: bring.by ?? '' }, removed);
  }
  const column = chosenColumn(tables, field, type, bring.path);
  if (!column) {
    const details = { column: bring.path, table: from.title };
    return note('problem', 'bring_path_missing', details, removed);
  }
  if (!into) return;
  const taken = heldTypeIn(scope, into, tables);
  const textual = taken.kind === 'text' || taken.kind === 'long_text';
  if (textual || comparable(column.type, taken)) return;
  note('problem', 'bring_types', {
    column: column.label,
    field: into.label,
    held: typePhrase(column.type, tables),
    taken: typePhrase(taken, tables),
  });
}

/** A value comes from one place. */
function checkSources({ scope }: Examined, field: Field, note: Note): void {
  const bringing = bringersOf(scope).get(field.key) ?? [];
  const [first, second] = bringing;
  if (first && second) {
    note('problem', 'brought_twice', { first: first.label, second: second.label });
  }
  const listed = listSource(field.choices);
  const ways = [
    ...(field.computes === null ? [] : [say('a formula')]),
    ...(field.rollup === null ? [] : [say('a rollup')]),
    ...(field.outside === null ? [] : [say('an outside system')]),
    ...(first ? [say(`brought by ${first.label}`)] : []),
    ...(listed && listed.from !== 'options' ? [say('choices')] : []),
  ];
  if (ways.length > 1 && (field.computes !== null || valueSource(field) !== null)) {
    note('problem', 'value_twice', { ways: ways.join(', ') });
  }
}

const bringers = new WeakMap<PlanScope, ReadonlyMap<string, Field[]>>();

/** The fields of a scope that bring something, by the fields that take it. */
function bringersOf(scope: PlanScope): ReadonlyMap<string, Field[]> {
  const known = bringers.get(scope);
  if (known) return known;
  const found = new Map<string, Field[]>();
  for (const field of scope.fields) {
    for (const into of new Set(field.brings.map((bring) => bring.into))) {
      if (into !== null) found.set(into, [...(found.get(into) ?? []), field]);
    }
  }
  bringers.set(scope, found);
  return found;
}

/** Examines what a form writes besides, and how its grids hang on it. */
export function checkWrites(plan: Plan, tables: House, note: Note): void {
  for (const { table: key, each, record, values } of plan.writes) {
    const table = tables.get(key);
    if (each !== null && !plan.sections.some((s) => s.grid && s.key === each)) {
      note('problem', 'write_grid_missing', { table: table?.title ?? key, grid: each });
    }
    if (!table) {
      note('problem', 'write_table_missing', { table: key });
      continue;
    }
    for (const column of Object.keys(values)) {
      if (!table.columns.some((c) => c.key === column)) {
        note('problem', 'write_column_missing', { column, table: table.title });
      }
    }
    for (const column of table.columns) {
      if (record === null && mustBeGiven(column) && !(column.key in values)) {
        note('problem', 'required_unwritten', { column: column.label, table: table.title });
      }
    }
  }
  for (const { label, steps } of plan.buttons ?? []) {
    if (steps.length === 0) note('hint', 'button_empty', { label });
    for (const step of steps) {
      if (step.do !== 'set' || fieldOf(plan, step.field)) continue;
      note('problem', 'button_field_missing', { label, field: step.field });
    }
  }
  const steps = (plan.buttons ?? []).flatMap((button) => button.steps);
  const told = [...(plan.sends ?? []), ...steps.filter((step) => step.do === 'tell')];
  for (const { connection, method, address, values } of told) {
    const takes = tables.systems.get(connection)?.accepts ?? null;
    if (takes !== (method === 'SQL' ? 'sql' : 'http')) {
      const system = tables.systems.get(connection)?.title ?? connection;
      note('problem', 'send_system_missing', { system });
    }
    for (const name of toldNames({ method, address })) {
      if (!(name in values)) note('problem', 'send_value_missing', { name });
    }
  }
  for (const { title, grid } of plan.sections) {
    const table = grid && tables.get(grid.table);
    if (!grid || !table) continue;
    const outer = plan.sections.find((s) => s.key === grid.within)?.grid ?? null;
    if (grid.within !== null && outer?.within !== null) {
      note('problem', 'grid_within_missing', { label: title, grid: grid.within });
      continue;
    }
    const around = outer?.table ?? plan.table;
    const type = columnOf(table, grid.link)?.type;
    if (type?.kind === 'reference' && type.table === around) continue;
    const parent = tables.get(around)?.title ?? around;
    note('problem', 'grid_link_missing', {
      label: title,
      table: table.title,
      column: grid.link,
      parent,
    });
  }
}
