import { say } from '../words/say';
import { compileFormula, type CompiledFormula, type Formula } from '../formula/formula';
import type { Names } from '../formula/scope';
import { kindOfType } from '../formula/convert';
import type { Feel, FeelRecord } from '../formula/feel';
import * as kinds from '../formula/kinds';
import type { Kind, RecordKind } from '../formula/kinds';
import { houseColumns, type House } from '../table/definition';
import { plainText, type ValueType } from '../values/types';
import { chosenColumn, heldTypeIn } from './held';
import { type Check, type Field, type Plan } from './schema';
import { scopeAround, scopesOf, type PlanScope } from './scopes';

/** What formulas of a form read from: the form as it is filled, or a row of one of its grids. */
export interface EntryHost extends FeelRecord {
  /** The value of the field at this place of its scope. */
  feelAt: (index: number) => Feel;
  /** The row that the field at this place has chosen from a query. */
  chosenRow: (index: number) => FeelRecord;
  /** The form or the row around a row; `null` for the form itself. */
  parent: EntryHost | null;
  rowsOf: (grid: string) => readonly EntryHost[];
  /** The signed-in person. */
  person: FeelRecord;
  /** What a field held in the record as it was opened; absent in a new one. */
  storedFeel: (key: string) => Feel;
  /** What is the same for all rows that stand where this one does, worked out once. */
  shared: (token: object, reads: readonly (readonly string[])[], work: () => Feel) => Feel;
  /** The record that the form, or the row, is saved to. */
  savedRecord: () => Feel;
  /** A value from the link's address. */
  linkValue: (name: string) => string | null;
}

export type EntryFormula = Formula<EntryHost>;

/** The names that formulas of each scope may use, by the scope's key. */
export function formNames(plan: Plan, tables: House): Map<string, Names<EntryHost>> {
  const scopes = scopesOf(plan);
  const [root] = scopes;
  if (!root) return new Map();
  const byKey = new Map(scopes.map((scope) => [scope.key, scope]));
  const members = new Map(scopes.map((scope) => [scope.key, fieldKinds(scope, tables)]));
  const ofScope = (key: string) => members.get(key) ?? new Map<string, Kind>();
  const called = ({ key, title }: PlanScope) =>
    key === '' ? say('the form') : say(`a row of ${title}`);
  const rowKind = (scope: PlanScope, more: Iterable<[string, Kind]> = []): RecordKind => {
    const of = scope.key === '' ? '' : `${scope.key}[]`;
    const members = new Map([...ofScope(scope.key), ...more]);
    return recordKind(called(scope), of, members, (key) => {
      const field = scope.fields.find((candidate) => candidate.key === key);
      return field ? chosenKind(field, tables) : null;
    });
  };
  /** The grids that stand in a scope, as lists of rows. */
  const gridsIn = (scope: PlanScope) =>
    new Map(
      scopes
        .filter((grid) => scopeAround(byKey, grid) === scope)
        .map((grid): [string, Kind] => [grid.key, { is: 'list', of: rowKind(grid), rows: true }]),
    );
  /** What a row sees of what is around it: fields, grids, and what is around that. */
  const aroundOf = (scope: PlanScope): RecordKind | null => {
    const around = scopeAround(byKey, scope);
    if (!around) return null;
    const further = aroundOf(around);
    const more: [string, Kind][] = further ? [['parent', further]] : [];
    return rowKind(around, [...gridsIn(around), ...more]);
  };
  return new Map(
    scopes.map((scope) => [
      scope.key,
      scopeNames(scope, tables, ofScope(scope.key), gridsIn(scope), aroundOf(scope)),
    ]),
  );
}

/** The kind of a record of a table, its references followed. */
export function tableKind(tables: House, key: string): Kind {
  const table = tables.get(key);
  if (!table) return kinds.any;
  const columns = [...table.columns, ...houseColumns];
  return {
    is: 'record',
    called: say(`a record of ${table.title}`),
    of: table.key,
    member: (name) => {
      const column = columns.find((c) => c.key === name);
      return column ? valueKind(column.type, tables) : null;
    },
    members: () => columns.map((column) => column.key),
    path: null,
  };
}

/** The kind of a value of a type. */
export function valueKind(type: ValueType, tables: House): Kind {
  return type.kind === 'reference' ? tableKind(tables, type.table) : kindOfType(type);
}

/** What a check says, cut into plain text and formulas: `{copies} asked` → copies, ` asked`. */
export function messageParts(message: Check['message']): { formula: boolean; text: string }[] {
  return message
    .split(/(\{[^{}]*\})/)
    .filter((part) => part !== '')
    .map((part) => {
      const formula = /^\{[^{}]+\}$/.test(part);
      return { formula, text: formula ? part.slice(1, -1) : part };
    });
}

/** The formulas in a text, as they are written. */
export function messageFormulas(message: string): string[] {
  return messageParts(message).flatMap(({ formula, text }) => (formula ? [text] : []));
}

/** Makes a formula of a scope ready. */
export function compileIn(
  names: Names<EntryHost> | undefined,
  source: string,
): CompiledFormula<EntryHost> {
  return compileFormula(source, names ?? { find: () => null, all: () => [] });
}

function fieldKinds(scope: PlanScope, tables: House): Map<string, Kind> {
  return new Map(
    scope.fields.map((field) => [field.key, valueKind(heldTypeIn(scope, field, tables), tables)]),
  );
}

function recordKind(
  called: string,
  of: string,
  members: ReadonlyMap<string, Kind>,
  chosenAt: RecordKind['chosenAt'],
): RecordKind {
  return {
    is: 'record',
    called,
    of,
    member: (key) => members.get(key) ?? null,
    members: () => [...members.keys()],
    path: null,
    chosenAt,
  };
}

/** Of what the columns of a query's row are, in the mentions of a formula: no table can have this key. */
const rowOfQuery = '{row}';

/** The row that a field chooses from a query; `null` for a field that chooses no such row. */
function chosenKind(field: Field, tables: House): RecordKind | null {
  if (field.choices?.kind !== 'outside') return null;
  const { query } = field.choices;
  return {
    is: 'record',
    called: say(`a row of ${tables.queries.get(query)?.title ?? query}`),
    of: rowOfQuery,
    member: (key) => {
      const column = chosenColumn(tables, field, plainText, key);
      return column && valueKind(column.type, tables);
    },
    members: () => (tables.queries.get(query)?.columns ?? []).map(({ key }) => key),
    path: null,
  };
}

const shared: Names<EntryHost>['shared'] = (host, token, reads, work) =>
  host.shared(token, reads, work);

function scopeNames(
  scope: PlanScope,
  tables: House,
  members: ReadonlyMap<string, Kind>,
  grids: ReadonlyMap<string, Kind>,
  parent: RecordKind | null,
): Names<EntryHost> {
  const places = new Map(scope.fields.map((field, index) => [field.key, index]));
  const own = (name: string) => {
    const kind = members.get(name);
    const place = places.get(name);
    if (!kind || place === undefined) return null;
    const read = (host: EntryHost) => host.feelAt(place);
    const field = scope.fields[place];
    const row = field && chosenKind(field, tables);
    const chosen = row && { kind: row, read: (host: EntryHost) => host.chosenRow(place) };
    return { kind, read, chosen: chosen ?? null };
  };
  const before: Kind = {
    is: 'record',
    called: say('the record as it was'),
    of: scope.key === '' ? '' : `${scope.key}[]`,
    member: (key) => {
      const field = scope.fields.find((f) => f.key === key && f.savesTo !== null);
      const kind = field && members.get(key);
      // Of another record only which one it was is known.
      return kind?.is === 'record'
        ? { ...kind, member: () => null, members: () => [] }
        : (kind ?? null);
    },
    members: () => scope.fields.filter((f) => f.savesTo !== null).map((f) => f.key),
    path: null,
  };
  /** Of the record being saved only which one it is can be said: it is there when the save is done. */
  const saved: Kind = {
    is: 'record',
    called: say('the record being saved'),
    of: scope.table,
    member: () => null,
    members: () => [],
    path: null,
  };
  const person = personKind(tables);
  const house = (name: string) => {
    if (name === 'before') return { kind: before, read: beforeRecord };
    if (name === 'record') return { kind: saved, read: (host: EntryHost) => host.savedRecord() };
    if (name === 'person') return { kind: person, read: (host: EntryHost) => host.person };
    if (name !== 'link') return null;
    return { kind: linkKind, read: linkRecord };
  };
  const rows = (name: string) => {
    const kind = grids.get(name);
    return kind ? { kind, read: (host: EntryHost) => host.rowsOf(name) } : null;
  };
  if (parent) {
    const around = { kind: parent, read: (host: EntryHost) => host.parent };
    return {
      ...(places.has('parent') ? {} : { shared }),
      find: (name) => own(name) ?? (name === 'parent' ? around : (rows(name) ?? house(name))),
      all: () => [...members.keys(), ...grids.keys(), 'parent', 'before', 'record', 'person'],
    };
  }
  return {
    find: (name) => rows(name) ?? own(name) ?? house(name),
    all: () => [...members.keys(), ...grids.keys(), 'before', 'record', 'person', 'link'],
  };
}

/** Of what the members of `person` are, in the mentions of a formula: no table can have this key. */
export const personOf = '{person}';

/** `person.name`, `person.email`, and `person.region` where the account stands for a record of that table. */
function personKind(tables: House): RecordKind {
  return {
    is: 'record',
    called: say('the person'),
    of: personOf,
    member: (key) =>
      key === 'name' || key === 'email'
        ? kinds.text
        : tables.has(key)
          ? tableKind(tables, key)
          : null,
    members: () => ['name', 'email', ...tables.keys()],
    path: null,
  };
}

/** `link.code`: any name, always a text. */
const linkKind: Kind = {
  is: 'record',
  get called() {
    return say('the link');
  },
  of: 'link',
  member: () => kinds.text,
  members: () => [],
  path: null,
};

function linkRecord(host: EntryHost): FeelRecord {
  return { identity: null, members: () => [], member: (name) => host.linkValue(name) };
}

function beforeRecord(host: EntryHost): FeelRecord {
  return { identity: null, members: () => [], member: (key) => host.storedFeel(key) };
}
