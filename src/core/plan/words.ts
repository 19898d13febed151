import { operatorWords } from '../table/conditions';
import { columnOf, type Tables } from '../table/definition';
import { pathLabel } from '../table/paths';
import { formatValue } from '../values/format';
import { typePhrase } from '../values/types';
import { heldType, shownPaths } from './held';
import { fieldOf, tableChoices, type Field, type Plan } from './schema';

/** What a cell of the plan sheet says: a short phrase, and what is less important under it. */
export interface Phrase {
  main: string;
  more: string;
}

const nothing: Phrase = { main: '', more: '' };

/** Where a field's choices come from: `town: Name` / `96, by name`. */
export function choicesPhrase(
  field: Field,
  tables: Tables,
  counts: ReadonlyMap<string, number>,
): Phrase {
  if (field.choices?.kind === 'values') {
    const labels = field.choices.values.map((option) => option.label);
    return { main: labels.join(', ') || 'no values yet', more: 'typed in' };
  }
  const choices = tableChoices(field);
  if (!choices) return nothing;
  const table = tables.get(choices.table);
  if (!table) return { main: `${choices.table}?`, more: 'no such table' };
  const shown = shownPaths(choices, tables).map((path) => pathLabel(tables, table, path));
  const order = choices.distinct
    ? 'each once'
    : choices.order.map((o) => `by ${pathLabel(tables, table, o.path).toLowerCase()}`).join(', ');
  const where = choices.conditions.map((c) => {
    const values = c.values.map((v) => String(v)).join(', ');
    return `${pathLabel(tables, table, c.path).toLowerCase()} ${operatorWords[c.operator]} ${values}`;
  });
  const copied =
    choices.stores.kind === 'copy' && !choices.distinct
      ? `copies ${columnOf(table, choices.stores.column)?.label.toLowerCase() ?? '?'}`
      : '';
  const count = counts.get(table.key)?.toLocaleString('en') ?? '';
  const more = [count, order, copied, ...where].filter((part) => part !== '');
  return { main: `${table.title}: ${shown.join(', ')}`, more: more.join(' · ') };
}

/** By which fields a field is narrowed: `Region`. */
export function narrowedPhrase(plan: Plan, field: Field, tables: Tables): Phrase {
  const choices = tableChoices(field);
  if (!choices || choices.narrowings.length === 0) return nothing;
  const table = tables.get(choices.table);
  const labels = choices.narrowings.map((n) => fieldOf(plan, n.field)?.label ?? `${n.field}?`);
  const special = choices.narrowings
    .filter((n) => n.operator !== 'equal' || n.whileEmpty === 'everything')
    .map((n) => {
      const column = table ? pathLabel(tables, table, n.path).toLowerCase() : n.path;
      if (n.operator !== 'equal') return `${column} ${operatorWords[n.operator]}`;
      return `all while ${fieldOf(plan, n.field)?.label ?? n.field} is empty`;
    });
  return { main: labels.join(', '), more: special.join(', ') };
}

/** The rules of a field: `required, take the only one`. */
export function rulesPhrase(plan: Plan, field: Field, tables: Tables): Phrase {
  const rules: string[] = [];
  if (field.required) rules.push('required');
  if (tableChoices(field)?.takeOnly) rules.push('take the only one');
  const more =
    field.initial === null
      ? ''
      : `begins with ${formatValue(heldType(plan, field, tables), field.initial)}`;
  return { main: rules.join(', '), more };
}

/** Where a field is saved: the label of the column, or that it is not saved. */
export function savesPhrase(plan: Plan, field: Field, tables: Tables): Phrase {
  if (field.savesTo === null) return { main: 'not saved', more: '' };
  const table = tables.get(plan.table);
  const column = table ? columnOf(table, field.savesTo) : undefined;
  if (!column) return { main: `${field.savesTo}?`, more: 'no such column' };
  return { main: column.key, more: typePhrase(column.type) };
}
