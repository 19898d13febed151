import { say } from '../words/say';
import { givenParameters } from '../outside/query';
import { typePhrase, comparable } from '../values/types';
import type { Examined, Note } from './finding';
import { namedField } from './checkup-narrowings';
import { plainField } from './draft';
import { addField } from './edit';
import { heldTypeIn } from './held';
import type { House } from '../table/definition';
import { type Field, type Plan } from './schema';
import { fieldOf, fieldsOf } from './scopes';

/** Examines what a field takes from an outside system: the query, its columns, what it is given. */
export function checkOutside(examined: Examined, field: Field, note: Note): void {
  const { tables } = examined;
  const { choices, outside } = field;
  const asked = choices?.kind === 'outside' ? choices : outside;
  if (!asked) return;
  const query = tables.queries.get(asked.query);
  if (!query) return note('problem', 'query_missing', { query: asked.query });
  const columns = 'shown' in asked ? [asked.stores, ...asked.shown] : [asked.column];
  for (const column of new Set(columns)) {
    if (query.columns.some(({ key }) => key === column)) continue;
    note('problem', 'query_column_missing', { query: query.title, column });
  }
  for (const { parameter: key, field: name } of asked.given) {
    const parameter = query.parameters.find((one) => one.key === key);
    const { around, by } = namedField(examined, name);
    if (!parameter)
      note('problem', 'query_parameter_missing', { query: query.title, parameter: key });
    else if (!by) note('problem', 'narrowing_field_missing', { field: name });
    else if (!comparable(parameter.type, heldTypeIn(around, by, tables))) {
      const held = typePhrase(heldTypeIn(around, by, tables), tables);
      note('problem', 'parameter_types', { parameter: parameter.label, field: by.label, held });
    }
  }
  for (const { key, label, required } of givenParameters(query)) {
    if (!required) continue;
    if (asked.given.some((given) => given.parameter === key)) continue;
    note('problem', 'parameter_ungiven', { query: query.title, parameter: label });
  }
}

/** Examines a form that passes through: its query, the key, and that it stores nothing here. */
export function checkThrough(
  plan: Plan,
  tables: House,
  noteFor: (field: Field | null) => Note,
): void {
  const { through } = plan;
  if (!through) return;
  const query = tables.queries.get(through.query);
  if (!query) return noteFor(null)('problem', 'query_missing', { query: through.query });
  if (!query.parameters.some(({ key }) => key === through.key)) {
    const details = { query: query.title, parameter: through.key };
    const [first] = query.parameters;
    const fix = first && {
      label: say(`Open it by ${first.label}`),
      apply: (p: Plan): Plan =>
        p.through ? { ...p, through: { ...p.through, key: first.key } } : p,
    };
    noteFor(null)('problem', 'through_key_missing', details, fix);
  }
  for (const [field, column] of Object.entries(through.columns)) {
    if (!fieldOf(plan, field)) {
      const label = query.columns.find(({ key }) => key === column)?.label ?? field;
      const made = { ...plainField(label), key: field };
      const fix = { label: say('Add the field'), apply: (p: Plan) => addField(p, made) };
      noteFor(null)('problem', 'through_field_missing', { field }, fix);
    }
    if (query.columns.some(({ key }) => key === column)) continue;
    noteFor(fieldOf(plan, field) ?? null)('problem', 'query_column_missing', {
      query: query.title,
      column,
    });
  }
  for (const field of fieldsOf(plan)) {
    if (field.savesTo !== null) noteFor(field)('problem', 'through_saves', {});
  }
}
