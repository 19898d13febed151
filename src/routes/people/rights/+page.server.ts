import { listAccounts } from '$lib/server/access/accounts';
import { houseOf } from '$lib/server/access/house';
import { readRoles } from '$lib/server/access/roles';
import { Rights } from '$lib/core/access/rights';
import { unreadableConditions } from '$lib/core/table/seen';
import { countTables } from '$lib/server/records/count';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ locals, url }) => {
  const db = await readyDatabase();
  const { whole } = await locals.house();
  const roles = await readRoles(db, db.knex);
  const accounts = await listAccounts(db);
  const wanted = url.searchParams.get('role') ?? 'clerk';
  const role = roles.get(wanted) ?? [...roles.values()][0];
  if (!role) throw new Error('There are always roles.');
  const having = accounts.filter(({ roles: keys }) => keys.includes(role.key));
  const person = having.find(({ name }) => name === url.searchParams.get('person')) ?? having[0];
  const all = await countTables(db, whole);
  let seen: Map<string, number> | null = null;
  if (person) {
    const rights = new Rights(person.roles.flatMap((key) => roles.get(key) ?? []));
    seen = await countTables(db, await houseOf(db, { person, rights }));
  }
  return {
    role,
    roles: [...roles.values()].map(({ key, title }) => ({
      ...{ key, title },
      people: accounts.filter(({ roles: keys }) => keys.includes(key)).map(({ shown }) => shown),
    })),
    people: having.map(({ id, name, shown }) => ({ id, name, shown })),
    person: person ? { id: person.id, name: person.name, shown: person.shown } : null,
    broken: unreadableConditions(whole, role),
    tables: [...whole.values()].map(({ key, title, columns }) => ({
      ...{ key, title, all: all.get(key) ?? 0, seen: seen?.get(key) ?? null },
      columns: columns.map(({ key, label }) => ({ key, label })),
    })),
    forms: (await locals.forms()).map(({ key, title }) => ({ key, title })),
  };
};
