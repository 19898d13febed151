import { LRUCache } from 'lru-cache';
import {
  longestRehearsal,
  mostRehearsals,
  rehearsalSchema,
  type NamedRehearsal,
  type Rehearsal,
} from '$lib/core/rehearsal/rehearsal';
import { renamedRehearsal, type Renamed } from '$lib/core/rehearsal/renamed';
import { fail } from '$lib/core/problems';
import { hashOf } from '../access/hashes';
import type { Database, Runner } from '../database/connection';
import { duplicateIndex } from '../database/errors';
import { momentOf, storedMoment } from '../database/moments';
import { inTransaction } from '../database/transaction';

/** A rehearsal as it is kept with its form. */
export interface KeptRehearsal {
  id: number;
  name: string;
  /** Raised at each change. */
  revision: number;
  by: string;
  at: string;
  rehearsal: Rehearsal;
}

interface Row {
  id: number;
  name: string;
  revision: number;
  kept_by: string;
  kept_at: unknown;
  hash: string;
  body: string;
}

/** Bodies already parsed: what a hash names never changes. */
const parsed = new LRUCache<string, Rehearsal>({ max: mostRehearsals });

function bodyOf({ hash, body }: Row): Rehearsal {
  const rehearsal = parsed.get(hash) ?? rehearsalSchema.parse(JSON.parse(body));
  parsed.set(hash, rehearsal);
  return rehearsal;
}

/** The rehearsals of a form by their names. */
export function listRehearsals(db: Database, form: number): Promise<KeptRehearsal[]> {
  return readKept(db, { form_id: form });
}

/** One rehearsal of a form; fails with 404. */
export async function loadRehearsal(
  db: Database,
  form: number,
  id: number,
): Promise<KeptRehearsal> {
  const [found] = await readKept(db, { form_id: form, id });
  return found ?? fail('rehearsal_gone', {}, 404);
}

/** The rehearsals of a form as they travel with its plan. */
export async function namedRehearsals(db: Database, form: number): Promise<NamedRehearsal[]> {
  const kept = await listRehearsals(db, form);
  return kept.map(({ name, rehearsal }) => ({ name, rehearsal }));
}

async function readKept(
  db: Database,
  which: { form_id: number; id?: number },
  runner: Runner = db.knex,
): Promise<KeptRehearsal[]> {
  const rows = await rehearsals(db, runner)
    .join('rehearsal_body as b', 'b.hash', 'rehearsal.hash')
    .where(which)
    .orderBy('name')
    .select('id', 'name', 'revision', 'kept_by', 'kept_at', 'b.hash', 'body');
  return (rows as Row[]).map((row) => ({
    ...{ id: Number(row.id), name: row.name, revision: Number(row.revision) },
    ...{ by: row.kept_by, at: momentOf(row.kept_at) },
    rehearsal: bodyOf(row),
  }));
}

/** Keeps a rehearsal under a name of its own. */
export async function keepRehearsal(
  db: Database,
  form: number,
  { name, rehearsal }: Pick<KeptRehearsal, 'name' | 'rehearsal'>,
  by: string,
): Promise<KeptRehearsal> {
  const id = await inTransaction(db, async (trx) => {
    await trx('form').withSchema(db.catalog).where({ id: form }).forUpdate().first('id');
    const [counted] = await rehearsals(db, trx).where({ form_id: form }).count({ n: '*' });
    if (Number(counted?.n) >= mostRehearsals) {
      fail('too_many_rehearsals', { most: mostRehearsals }, 409);
    }
    const hash = await keepBody(db, trx, rehearsal);
    const now = storedMoment(new Date());
    const row = { form_id: form, name, hash, revision: 1, kept_by: by, kept_at: now };
    const [made] = await named(name, () => rehearsals(db, trx).insert(row));
    return Number(made);
  });
  return loadRehearsal(db, form, id);
}

/** Changes a rehearsal; fails with 409 where somebody else has changed it since `revision`. */
export async function changeRehearsal(
  db: Database,
  form: number,
  { id, revision }: Pick<KeptRehearsal, 'id' | 'revision'>,
  { name, rehearsal }: Partial<Pick<KeptRehearsal, 'name' | 'rehearsal'>>,
  by: string,
): Promise<KeptRehearsal> {
  await inTransaction(db, async (trx) => {
    const changes = {
      ...{ revision: revision + 1, kept_by: by, kept_at: storedMoment(new Date()) },
      ...(name === undefined ? {} : { name }),
      ...(rehearsal ? { hash: await keepBody(db, trx, rehearsal) } : {}),
    };
    const changed = await named(name ?? '', () =>
      rehearsals(db, trx).where({ id, form_id: form, revision }).update(changes),
    );
    if (changed > 0) return;
    const there = await rehearsals(db, trx).where({ id, form_id: form }).first('id');
    fail(there ? 'rehearsal_changed' : 'rehearsal_gone', {}, there ? 409 : 404);
  });
  return loadRehearsal(db, form, id);
}

/** Carries other names into the rehearsals of a form; whoever holds one holds it still. */
export async function carryIntoRehearsals(
  db: Database,
  trx: Runner,
  form: number,
  renamed: Renamed,
): Promise<void> {
  for (const { id, rehearsal } of await readKept(db, { form_id: form }, trx)) {
    const after = renamedRehearsal(rehearsal, renamed);
    if (JSON.stringify(after) === JSON.stringify(rehearsal)) continue;
    const hash = await keepBody(db, trx, after);
    await rehearsals(db, trx).where({ id }).update({ hash });
  }
}

/** Takes a rehearsal out; editions that were published with it keep it. */
export async function removeRehearsal(db: Database, form: number, id: number): Promise<void> {
  await rehearsals(db).where({ id, form_id: form }).delete();
}

/** What the rehearsals of a form are now, as an edition keeps it: each name with what it named. */
export async function rehearsalNames(
  db: Database,
  trx: Runner,
  form: number,
): Promise<{ name: string; hash: string }[]> {
  const rows = await rehearsals(db, trx)
    .where({ form_id: form })
    .orderBy('name')
    .select('name', 'hash');
  return rows as { name: string; hash: string }[];
}

async function keepBody(db: Database, trx: Runner, rehearsal: Rehearsal): Promise<string> {
  const body = JSON.stringify(rehearsal);
  if (body.length > longestRehearsal) fail('rehearsal_too_large', {}, 413);
  const hash = hashOf(body);
  await trx('rehearsal_body')
    .withSchema(db.catalog)
    .insert({ hash, body })
    .onConflict('hash')
    .ignore();
  return hash;
}

/** Refuses a name that another rehearsal of the form has. */
async function named<T>(name: string, write: () => PromiseLike<T>): Promise<T> {
  try {
    return await write();
  } catch (error) {
    if (duplicateIndex(error) !== null) return fail('rehearsal_named', { name }, 409, 'name');
    throw error;
  }
}

const rehearsals = (db: Database, runner: Runner = db.knex) =>
  runner('rehearsal').withSchema(db.catalog);
