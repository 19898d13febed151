import type { Database } from '../database/connection';
import { momentOf } from '../database/moments';
import { rowsOf } from '../database/rows';
import { log } from '../log';

/** How a form was used lately: how often on which day, and by whom last. */
export interface FormUse {
  /** Saves by day (ISO 8601, in UTC). */
  days: Record<string, number>;
  last: { at: string; by: string };
}

/** The uses of forms since a day, by form; the last one however long ago it was. */
export async function formUses(db: Database, since: string): Promise<Map<string, FormUse>> {
  const table = `\`${db.catalog}\`.form_use`;
  const sql = `select u.form_key, cast(u.day as char) as day, u.n, u.last_at, u.last_by from ${table} u
    join (select form_key, max(day) as last_day from ${table} group by form_key) l
      on l.form_key = u.form_key and (u.day >= ? or u.day = l.last_day)
    order by u.form_key, u.day`;
  const uses = new Map<string, FormUse>();
  for (const row of await rowsOf(db.knex, sql, [since])) {
    const form = String(row.form_key);
    const day = String(row.day);
    const last = { at: momentOf(row.last_at), by: String(row.last_by) };
    const { days } = uses.get(form) ?? { days: {} };
    uses.set(form, { days: day >= since ? { ...days, [day]: Number(row.n) } : days, last });
  }
  return uses;
}

/**
 * Counts a save of a form, after it was made: it is no part of what was promised, and waits for nobody. One that is not
 * counted, since the server ended in that moment, is in the journal all the same.
 */
export async function countUse(db: Database, form: string, by: string): Promise<void> {
  const sql = `insert into \`${db.catalog}\`.form_use (form_key, day, n, last_at, last_by)
    values (?, utc_date(), 1, utc_timestamp(3), ?)
    on duplicate key update n = n + 1, last_at = values(last_at), last_by = values(last_by)`;
  try {
    await db.knex.raw(sql, [form, by]);
  } catch (err) {
    log.warn({ err, form }, 'a use of a form was not counted');
  }
}
