import { common, type Rights, type Seen } from '../access/rights';
import { everyOther, type Role } from '../access/role';
import { never, type RecordCondition, type Sight, type TableSight } from '../access/sight';
import type { Value } from '../values/types';
import { House, type Table } from './definition';
import { conditionFor, readRecordCondition } from './record-condition';

/** The person's paths that the conditions of their rights read. */
export function personPaths(tables: House, rights: Rights): string[] {
  const paths = new Set<string>();
  for (const table of tables.values()) {
    for (const { when } of rights.seen(table.key)) {
      const read = when === '' ? null : readRecordCondition(tables, table, when);
      if (read && 'person' in read) for (const path of read.person) paths.add(path);
    }
  }
  return [...paths];
}

/** What somebody sees, by table; with the values of the paths that {@link personPaths} names. */
export function sightOf(
  tables: House,
  rights: Rights,
  person: Readonly<Record<string, Value>>,
): Sight {
  return new Map(
    [...tables.values()].flatMap((table): [string, TableSight][] => {
      const seen = rights.seen(table.key);
      if (seen.length === 0) return [];
      const hidden = common(seen.map((one) => one.hidden));
      const when = recordsSeen(tables, table, seen, person);
      return [[table.key, { hidden, shut: rights.shut(table.key), when }]];
    }),
  );
}

function recordsSeen(
  tables: House,
  table: Table,
  seen: readonly Seen[],
  person: Readonly<Record<string, Value>>,
): RecordCondition | null {
  if (seen.some(({ when }) => when === '')) return null;
  const of = seen.map(({ when }) => {
    const read = readRecordCondition(tables, table, when);
    // A condition that cannot be read shows nothing until it is mended.
    return 'problem' in read ? never : conditionFor(read.condition, person);
  });
  return { is: 'any', of };
}

/** The tables on which a role's condition cannot be read (any more): nobody sees them by it until it is mended. */
export function unreadableConditions(
  tables: House,
  role: Role,
): { table: string; message: string }[] {
  return [...tables.values()].flatMap((table) => {
    const when = (role.tables[table.key] ?? role.tables[everyOther])?.when ?? '';
    const read = when === '' ? null : readRecordCondition(tables, table, when);
    if (!read || !('problem' in read)) return [];
    return [{ table: table.key, message: read.problem.problem.message }];
  });
}

/** The house as a person sees it: tables and columns that are kept from them are not there. */
export function seenHouse(whole: House, sight: Sight): House {
  const tables = [...whole.values()].flatMap((table): [string, Table][] => {
    const seen = sight.get(table.key);
    return seen ? [[table.key, seen.hidden.size === 0 ? table : without(table, seen.hidden)]] : [];
  });
  return new House(tables, whole, { sight, whole });
}

/**
 * The house as a form sees the records that it keeps itself: those in sight, with every column, since a form carries
 * the right to what its plan holds.
 */
export function formHouse(house: House): House {
  const { sight, whole } = house;
  if (!sight) return house;
  const known = formHouses.get(house);
  if (known) return known;
  const none = new Set<string>();
  const open = new Map(
    [...sight].map(([key, { when }]) => [key, { when, hidden: none, shut: none }]),
  );
  const made = new House([...whole], whole, { sight: open, whole });
  formHouses.set(house, made);
  return made;
}

const formHouses = new WeakMap<House, House>();

function without(table: Table, hidden: ReadonlySet<string>): Table {
  const stays = (key: string) => !hidden.has(key);
  return {
    ...table,
    columns: table.columns.filter(({ key }) => stays(key)),
    display: table.display.filter(stays),
    indexes: table.indexes.filter(({ columns }) => columns.every(stays)),
    views: table.views?.map((view) => ({
      ...view,
      filter: view.filter.filter(({ path }) => stays(path)),
      sort: view.sort.filter(({ path }) => stays(path)),
      group: view.group !== null && stays(view.group) ? view.group : null,
      totals: view.totals.filter(({ column }) => stays(column)),
      thresholds: view.thresholds.filter(({ column }) => stays(column)),
    })),
  };
}
