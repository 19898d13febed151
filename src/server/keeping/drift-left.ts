import type { Database } from '../database/connection';
import { storedMoment } from '../database/moments';
import { countUnfit, findingSql, type DriftRun } from './drift';
import { found, type FoundWish } from './drift-found';

/** Leaves findings as they are, in later runs too, as long as they stay what they are; gives how many. */
export async function leaveFound(
  db: Database,
  run: DriftRun,
  wish: FoundWish,
  by: string,
): Promise<number> {
  const { sql, bindings } = found(db, run, { ...wish, left: false })
    .select(
      db.knex.raw(`? as form_key, f.row_record, ${findingSql}, ? as by_person, ? as left_at`, [
        ...[run.form, by, storedMoment(new Date())],
      ]),
    )
    .toSQL();
  return db.knex.transaction(async (trx) => {
    const [done] = (await trx.raw(
      `insert ignore into \`${db.catalog}\`.drift_left (form_key, row_record, finding, by_person, left_at) ${sql}`,
      bindings as string[],
    )) as [{ affectedRows: number }];
    await countUnfit(db, trx, run);
    return done.affectedRows;
  });
}

/** Tells findings again that were left as they are; gives how many. */
export async function lookAgain(
  db: Database,
  run: DriftRun,
  { kind, grid, field, message }: FoundWish,
): Promise<number> {
  const c = `\`${db.catalog}\``;
  return db.knex.transaction(async (trx) => {
    const [done] = (await trx.raw(
      `delete from ${c}.drift_left where form_key = ? and (row_record, finding) in
         (select f.row_record, ${findingSql} from ${c}.drift_found f
          where f.run = ? and f.kind = ? and f.grid = ? and f.field = ? and f.message = ?)`,
      [run.form, run.id, kind, grid, field, message],
    )) as [{ affectedRows: number }];
    await countUnfit(db, trx, run);
    return done.affectedRows;
  });
}
