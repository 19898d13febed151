import type { Knex } from 'knex';
import type { Plan } from '$lib/core/plan/schema';
import { closedAt, full } from '$lib/core/plan/takes';
import { ProblemError } from '$lib/core/problems';
import type { Database } from '../database/connection';

/** Refuses what a form does not take now. */
export function refuseClosed({ takes }: Plan): void {
  const closed = closedAt(takes, new Date().toISOString());
  if (closed) throw new ProblemError(closed, 409);
}

/**
 * Counts a new record of a form that may have only so many, in the transaction that writes it: of two that ask
 * for the last one at once, one gets it.
 */
export async function countTaken(
  db: Database,
  trx: Knex.Transaction,
  form: string,
  { takes }: Plan,
  /** Whose record it is; `null` for a guest, who is nobody in particular. */
  by: string | null,
): Promise<void> {
  if (!takes) return;
  const { most, mostEach } = takes;
  if (most !== null && !(await count(db, trx, form, '', most))) {
    throw new ProblemError(full(takes, 'all'), 409);
  }
  if (mostEach !== null && by !== null && !(await count(db, trx, form, by, mostEach))) {
    throw new ProblemError(full(takes, 'own'), 409);
  }
}

/** Counts back what a form has taken where its new record was undone, and again where that is undone. */
export async function countUndone(
  db: Database,
  trx: Knex.Transaction,
  form: string,
  /** Whose record it was; `null` where that is not known any more. */
  by: string | null,
  turn: -1 | 1,
): Promise<void> {
  await trx.raw(
    `update ??.form_taken set taken = greatest(cast(taken as signed) + ?, 0)
      where form_key = ? and person in (?, ?)`,
    [db.catalog, turn, form, '', by ?? ''],
  );
}

async function count(
  db: Database,
  trx: Knex.Transaction,
  form: string,
  person: string,
  most: number,
): Promise<boolean> {
  const own = person === '' ? '' : 'and by_person = ?';
  const bound = person === '' ? [] : [person];
  // The first time, what it has taken before counts.
  await trx.raw(
    `insert ignore into ??.form_taken (form_key, person, taken)
      select ?, ?, count(*) from ??.journal
      where form_key = ? and kind = 'entry' and action = 'insert' and submission = save ${own}`,
    [db.catalog, form, person, db.catalog, form, ...bound],
  );
  const [result] = await trx.raw(
    `update ??.form_taken set taken = taken + 1 where form_key = ? and person = ? and taken < ?`,
    [db.catalog, form, person, most],
  );
  return result.affectedRows === 1;
}
