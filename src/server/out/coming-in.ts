import { ProblemError } from '$lib/core/problems';
import { isLink } from '$lib/core/values/types';
import type { Database } from '../database/connection';
import { dropWholeTable } from '../database/ddl';
import { takeLease, underLease } from '../database/lease';
import { changeStructure, structuring } from '../database/structure';
import { listForms, removeForm } from '../catalog/forms';
import { removeList } from '../catalog/lists';
import { loadTables } from '../catalog/tables';
import { log } from '../log';
import { removeConnection, removeQuery } from '../outside/uses';

type Kind = 'table' | 'list' | 'form' | 'connection' | 'query';
interface Part {
  kind: Kind;
  part_key: string;
  by_person: string;
}
/** Notes what is about to be made, by its key, which nothing has yet. */
export type NotePart = (kind: Kind, key: string) => Promise<void>;

const leaseName = 'package';
/** A package waits so long for another one to come in. Milliseconds. */
const mostWait = 60_000;

/**
 * Brings something in that is made of many parts: each is noted before it is made, and all of them go again where the
 * work fails, or where the process that does it ends: then at the next start, or with the next package.
 */
export async function comingIn<T>(
  db: Database,
  by: string,
  work: (note: NotePart) => Promise<T>,
): Promise<T> {
  return underLease(db, leaseName, mostWait, (lease) =>
    structuring(db, async () => {
      await takeAway(db);
      try {
        const result = await work(async (kind, key) => {
          await parts(db).insert({ kind, part_key: key, by_person: by });
        });
        await db.knex.transaction(async (trx) => {
          await lease.hold(trx);
          await trx('coming_in').withSchema(db.catalog).delete();
        });
        return result;
      } catch (error) {
        await takeAway(db);
        throw error;
      }
    }),
  );
}

/** Takes away what a package has left behind whose process has ended; one that comes in now is left alone. */
export async function removeCutOffPackage(db: Database): Promise<void> {
  if (!(await parts(db).first('id'))) return;
  const lease = await takeLease(db, leaseName);
  if (!lease) return;
  try {
    log.warn('a package did not come in to the end; it is taken away');
    await structuring(db, () => takeAway(db));
  } finally {
    await lease.end();
  }
}

async function takeAway(db: Database): Promise<void> {
  const noted: Part[] = await parts(db).orderBy('id', 'desc').select();
  if (noted.length === 0) return;
  const keys = (kind: Kind) =>
    noted.filter((part) => part.kind === kind).map((part) => part.part_key);
  const tables = keys('table');
  const forms = new Set(keys('form'));
  for (const { key, table } of await listForms(db)) {
    // A form of a table that came with them stands on nothing without it.
    if (forms.has(key) || tables.includes(table)) await removeForm(db, key);
  }
  await dropTables(db, tables, noted[0]?.by_person ?? '');
  for (const key of keys('list')) await unlessGone(() => removeList(db, key));
  for (const key of keys('query')) await unlessGone(() => removeQuery(db, key));
  for (const key of keys('connection')) await unlessGone(() => removeConnection(db, key));
  await parts(db).delete();
}

/** What was noted and not made any more is gone already; what somebody uses by now stays with them. */
async function unlessGone(remove: () => Promise<void>): Promise<void> {
  try {
    await remove();
  } catch (err) {
    if (!(err instanceof ProblemError)) throw err;
    log.warn({ err }, 'a part of a package stays, or was not made');
  }
}

/** Drops tables whatever refers to what among them; one to which another table refers by now stays. */
async function dropTables(db: Database, keys: readonly string[], by: string): Promise<void> {
  const house = await loadTables(db);
  const left = keys.filter((key) => house.has(key));
  const stays = (key: string) =>
    [...house.values()].some(
      (other) =>
        !left.includes(other.key) &&
        other.columns.some(({ type }) => isLink(type) && type.table === key),
    );
  for (const key of left) {
    const table = house.get(key);
    if (!table || stays(key)) continue;
    // They may refer to one another in a circle.
    const statement = `set statement foreign_key_checks = 0 for ${dropWholeTable(db, table)}`;
    await changeStructure(db, { table: key, statement, after: null, by });
  }
}

function parts(db: Database) {
  return db.knex('coming_in').withSchema(db.catalog);
}
