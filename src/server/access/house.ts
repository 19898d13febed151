import type { Person } from '$lib/core/access/person';
import type { PersonFacts } from '$lib/core/entry/person';
import { personPathsOf } from '$lib/core/plan/person-paths';
import type { Plan } from '$lib/core/plan/schema';
import type { Rights } from '$lib/core/access/rights';
import type { House } from '$lib/core/table/definition';
import { reachablePaths } from '$lib/core/table/paths';
import { personPaths, seenHouse, sightOf } from '$lib/core/table/seen';
import { severalIn, type Value } from '$lib/core/values/types';
import { loadTables } from '../catalog/tables';
import type { Database } from '../database/connection';
import { readColumns } from '../records/columns';

/** Houses as people see them, made anew where the catalog, the roles or the person's values have changed. */
const known = new WeakMap<House, WeakMap<Rights, Seen>>();

/** What some rights make of a house: what they read of the person, and the house by what was read. */
interface Seen {
  paths: readonly string[];
  houses: Map<string, House>;
}

/** The house as somebody sees it: what routes read, and nothing else. */
export async function houseOf(
  db: Database,
  { person, rights }: { person: Person; rights: Rights },
  /** The revision of the catalog, where it was just read. */
  catalog?: string,
): Promise<House> {
  const whole = await loadTables(db, db.knex, catalog);
  if (rights.keeps) return whole;
  const byRights = known.get(whole) ?? new WeakMap<Rights, Seen>();
  known.set(whole, byRights);
  const seen = byRights.get(rights) ?? { paths: personPaths(whole, rights), houses: new Map() };
  byRights.set(rights, seen);
  const { houses } = seen;
  const values = await personValues(db, whole, person, seen.paths);
  const about = JSON.stringify(values);
  const house = houses.get(about) ?? seenHouse(whole, sightOf(whole, rights, values));
  houses.set(about, house);
  return house;
}

/** What the formulas of a form know of whoever fills it in. */
export async function factsFor(
  db: Database,
  whole: House,
  plan: Plan,
  person: Person,
): Promise<PersonFacts> {
  return personValues(db, whole, person, personPathsOf(plan, whole));
}

/** The same for a form that is being designed: all that a formula could ask for. */
export async function allFacts(db: Database, whole: House, person: Person): Promise<PersonFacts> {
  const key = person.link?.table ?? '';
  const table = whole.get(key);
  const columns = table ? reachablePaths(whole, table, deepestAsked) : [];
  const single = columns.filter(({ column }) => !severalIn(column.type));
  const paths = ['name', 'email', key, ...single.map(({ path }) => `${key}.${path}`)];
  return personValues(db, whole, person, paths);
}

/** So many references behind the record that a person stands for. */
const deepestAsked = 3;

/** What a person is, by paths as `name` or `ensemble.town.region`; as their record is now. */
export async function personValues(
  db: Database,
  whole: House,
  person: Person,
  paths: readonly string[],
): Promise<Record<string, Value>> {
  const { shown, email, link } = person;
  const values: Record<string, Value> = {};
  const behind: string[] = [];
  for (const path of paths) {
    if (path === 'name') values[path] = shown;
    else if (path === 'email') values[path] = email === '' ? null : email;
    else if (link && path === link.table) values[path] = link.record;
    else if (link && path.startsWith(`${link.table}.`)) behind.push(path);
  }
  if (!link || behind.length === 0 || !whole.has(link.table)) return values;
  const rest = behind.map((path) => path.slice(link.table.length + 1));
  const wish = { table: link.table, ids: [link.record], paths: rest };
  const found = (await readColumns(db, db.knex, whole, wish)).get(link.record);
  behind.forEach((path, i) => (values[path] = found?.[rest[i] ?? ''] ?? null));
  return values;
}
