import { houseOf } from '../../src/core/table/sources';
import { lookup, plainField } from '../../src/core/plan/draft';
import type { ExtraWrite, Field, Plan } from '../../src/core/plan/schema';
import type { TableChoices } from '../../src/core/plan/choices';
import { sightOf, type Sight } from '../../src/core/plan/sight';
import type { Column, House, Table } from '../../src/core/table/definition';
import { plainText } from '../../src/core/values/types';

/** A column, short text where nothing else is said. */
export function column(key: string, more: Partial<Column> = {}): Column {
  return { key, label: key, type: plainText, required: false, unique: false, ...more };
}

/** A table shown by its first column. */
export function table(key: string, columns: Column[]): Table {
  return { key, title: key, columns, display: columns.slice(0, 1).map((c) => c.key), indexes: [] };
}

/** A column that refers to another table. */
export function reference(key: string, to = key, more: Partial<Column> = {}): Column {
  return column(key, { type: { kind: 'reference', table: to }, ...more });
}

/** Table choices that show `name`, stored as a link. */
export function lookupOf(of: string, more: Partial<TableChoices> = {}): TableChoices {
  const order = [{ path: 'name', descending: false }];
  return { ...lookup(of, houseOf()), shown: ['name'], order, ...more };
}

/** A field that is not saved and has no choices, but for what is said. */
export function field(key: string, more: Partial<Field> = {}): Field {
  return { ...plainField(key), key, ...more };
}

/** A plan of one section. */
export function planOf(tableKey: string, fields: Field[], more: Partial<Plan> = {}): Plan {
  return {
    format: 1,
    title: `Form of ${tableKey}`,
    table: tableKey,
    sections: [{ key: 'main', title: 'Main', columns: 2, fields, grid: null, page: null }],
    startsAt: null,
    writes: [],
    ...more,
  };
}

/** A scope of a plan that is there, as its fields are designed. */
export function sighted(plan: Plan, tables: House, scope = ''): Sight {
  const sight = sightOf(plan, scope, tables);
  if (!sight) throw new RangeError(`no grid ${scope}`);
  return sight;
}

/** region → town → ensemble → saved to loan. */
export function loanPlan(): Plan {
  const by = (name: string) =>
    ({ path: name, operator: 'equal', field: name, whileEmpty: 'nothing' }) as const;
  return planOf('loan', [
    field('region', { choices: lookupOf('region') }),
    field('town', { choices: lookupOf('town', { narrowings: [by('region')] }) }),
    field('ensemble', {
      savesTo: 'ensemble',
      required: true,
      choices: lookupOf('ensemble', { narrowings: [by('town')], takeOnly: true }),
    }),
    field('number', { savesTo: 'number' }),
    field('lent_on', { savesTo: 'lent_on' }),
  ]);
}

/** A record written besides. */
export function extra(
  table: string,
  values: Record<string, string>,
  more: Partial<ExtraWrite> = {},
): ExtraWrite {
  return { table, each: null, on: 'new', record: null, when: null, values, ...more };
}
