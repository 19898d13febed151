import { keeperKey, roleSchema, shippedRoles, type Role } from '$lib/core/access/role';
import { fail } from '$lib/core/problems';
import type { Database, Runner } from '../database/connection';
import { parseJson } from '../database/json';
import { inTransaction } from '../database/transaction';

let cached: { revision: string; catalog: string; roles: ReadonlyMap<string, Role> } | null = null;

/** All roles by key; kept in memory until somebody changes what people may do, in any process. */
export async function loadRoles(
  db: Database,
  revision: string,
): Promise<ReadonlyMap<string, Role>> {
  if (cached?.revision === revision && cached.catalog === db.catalog) return cached.roles;
  const roles = await readRoles(db, db.knex);
  cached = { revision, catalog: db.catalog, roles };
  return roles;
}

/** All roles as they were when somebody was let in last: a moment ago where a page is answered. */
export async function latestRoles(db: Database): Promise<ReadonlyMap<string, Role>> {
  return cached?.catalog === db.catalog ? cached.roles : readRoles(db, db.knex);
}

/** All roles: the shipped ones, as they have been changed, and those that keepers made. */
export async function readRoles(db: Database, runner: Runner): Promise<Map<string, Role>> {
  const rows = (await runner('role').withSchema(db.catalog).select('definition')) as {
    definition: unknown;
  }[];
  const kept = rows.map(({ definition }) => roleSchema.parse(parseJson(definition)));
  return new Map([...shippedRoles(), ...kept].map((role) => [role.key, role]));
}

/** Makes a role, or changes one; what a keeper may do is never changed. */
export async function keepRole(db: Database, role: Role, how: 'make' | 'change'): Promise<Role> {
  return inTransaction(db, async (trx) => {
    if (role.key === keeperKey) fail('role_fixed', { role: role.title }, 409);
    const roles = await readRoles(db, trx);
    const there = roles.has(role.key);
    if (how === 'make' && there) fail('role_exists', { role: role.title }, 409, 'title');
    if (how === 'change' && !there) fail('unknown_role', { role: role.key }, 404);
    const definition = JSON.stringify(role);
    await trx('role')
      .withSchema(db.catalog)
      .insert({ role_key: role.key, definition })
      .onConflict('role_key')
      .merge({ definition });
    await bumpAccess(db, trx);
    return role;
  });
}

/** Removes a role that nobody has. */
export async function removeRole(db: Database, key: string): Promise<void> {
  await inTransaction(db, async (trx) => {
    const role = (await readRoles(db, trx)).get(key) ?? fail('unknown_role', { role: key }, 404);
    if (shippedRoles().some((shipped) => shipped.key === key)) {
      fail('role_fixed', { role: role.title }, 409);
    }
    const has = (await trx('account')
      .withSchema(db.catalog)
      .whereRaw('json_contains(roles, json_quote(?))', [key])
      .forUpdate()
      .select('shown')) as { shown: string }[];
    if (has.length > 0) {
      fail('role_in_use', { role: role.title, users: has.map((one) => one.shown).join(', ') }, 409);
    }
    await trx('role').withSchema(db.catalog).where({ role_key: key }).delete();
    await bumpAccess(db, trx);
  });
}

/** Says to every process that rights have changed. */
export async function bumpAccess(db: Database, runner: Runner): Promise<void> {
  await runner('setting')
    .withSchema(db.catalog)
    .where({ name: 'access_revision' })
    .update({ value: runner.raw('cast(value as unsigned) + 1') });
}
