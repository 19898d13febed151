import { say, spoken } from '../words/say';
import { columnOf, houseColumns, type House } from '../table/definition';
import { referencesWithPlaces, type Reference } from './references';
import { type Plan } from './schema';
import { scopesOf } from './scopes';

/** What a kind of name stands for, as people call it. */
const kinds: Record<Reference['kind'], string> = spoken(() => ({
  field: say('field'),
  column: say('column'),
  table: say('table'),
  list: say('option list'),
  query: say('query'),
  system: say('outside system'),
  form: say('form'),
  grid: say('grid'),
  view: say('view'),
  parameter: say('parameter'),
  queryColumn: say('column'),
}));

/** A place of a plan that names something which is not there. */
export interface Dangling {
  /** The address of the field in which it stands; `null` for the plan as a whole. */
  at: string | null;
  kind: string;
  name: string;
}

/**
 * Every name of a plan that leads nowhere, found by the one walk over all that it names. Other forms are not
 * known here. Formulas say themselves what they name in vain.
 */
export function danglingIn(plan: Plan, tables: House): Dangling[] {
  const scopes = new Map(scopesOf(plan).map((scope) => [scope.key, scope]));
  const isThere = (reference: Reference): boolean => {
    const { kind, name } = reference;
    switch (kind) {
      case 'field':
        return scopes.get(reference.scope)?.fields.some(({ key }) => key === name) ?? false;
      case 'column': {
        const table = tables.get(reference.table);
        // Of a table that is not known nothing is known; that it is not is said where it is named.
        return !table || houseColumns.some((c) => c.key === name) || !!columnOf(table, name);
      }
      case 'table':
        return tables.has(name);
      case 'list':
        return tables.lists.has(name);
      case 'query':
        return tables.queries.has(name);
      case 'system':
        return tables.systems.has(name);
      case 'grid':
        return scopes.has(name);
      case 'view':
        return tables.get(reference.table)?.views?.some(({ key }) => key === name) ?? false;
      case 'parameter': {
        const query = tables.queries.get(reference.query);
        return !query || query.parameters.some(({ key }) => key === name);
      }
      case 'queryColumn': {
        const query = tables.queries.get(reference.query);
        return !query || query.columns.some(({ key }) => key === name);
      }
      case 'form':
        return true;
    }
  };
  return referencesWithPlaces(plan, tables)
    .filter(({ reference }) => !isThere(reference))
    .map(({ at, reference }) => ({ at, kind: kinds[reference.kind], name: reference.name }));
}
