import type { Database } from '../database/connection';
import { momentOf, storedMoment } from '../database/moments';
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
  await writeUses(db);
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

/** Milliseconds for which uses are gathered before they are counted. */
const gathers = 500;

interface Gathered {
  /** By form: how often it was saved, and by whom last. */
  uses: Map<string, { n: number; at: Date; by: string }>;
  timer: NodeJS.Timeout;
}

const gathered = new Map<Database, Gathered>();

/**
 * Counts a save of a form, after it was made: it is no part of what was promised, and nobody waits for it. Uses are
 * gathered for a moment; one that is lost, since the server ended in that moment, is in the journal all the same.
 */
export function countUse(db: Database, form: string, by: string): void {
  let waiting = gathered.get(db);
  if (!waiting) {
    const timer = setTimeout(() => void writeUses(db), gathers);
    timer.unref();
    waiting = { uses: new Map(), timer };
    gathered.set(db, waiting);
  }
  const known = waiting.uses.get(form);
  waiting.uses.set(form, { n: (known?.n ?? 0) + 1, at: new Date(), by });
}

/** Writes the uses that are gathered now. What cannot be written is let go. */
export async function writeUses(db: Database): Promise<void> {
  const waiting = gathered.get(db);
  if (!waiting) return;
  gathered.delete(db);
  clearTimeout(waiting.timer);
  const rows = [...waiting.uses].map(([form, { n, at, by }]) => {
    const moment = storedMoment(at);
    return [form, moment.slice(0, 10), n, moment, by] as const;
  });
  const sql = `insert into \`${db.catalog}\`.form_use (form_key, day, n, last_at, last_by)
    values ${rows.map(() => '(?, ?, ?, ?, ?)').join(', ')}
    on duplicate key update n = n + values(n), last_at = values(last_at), last_by = values(last_by)`;
  try {
    await db.knex.raw(sql, rows.flat());
  } catch (err) {
    log.warn({ err }, 'uses of forms were not counted');
  }
}
