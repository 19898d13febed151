import type { AskedOnce } from '$lib/core/outside/sending';
import type { Database } from '../database/connection';

/** How a connection has done: the last time it answered, and the last time it failed. */
export interface ConnectionState {
  asked: number;
  lastAt: string | null;
  lastFailed: string | null;
}

/** The last askings of a connection, newest first. */
export async function lastAsked(
  db: Database,
  connection: string,
  limit = 100,
): Promise<AskedOnce[]> {
  const rows = await db
    .knex('outside_asked')
    .withSchema(db.catalog)
    .where({ connection_key: connection })
    .orderBy('id', 'desc')
    .limit(limit)
    .select('at', 'query_key', 'took', 'failed');
  return rows.map((row) => ({
    at: moment(row.at),
    query: row.query_key,
    took: Number(row.took),
    failed: row.failed,
  }));
}

/** How each connection has done lately, by its key. */
export async function connectionStates(db: Database): Promise<Map<string, ConnectionState>> {
  const asked = `\`${db.catalog}\`.outside_asked`;
  const [rows] = await db.knex.raw(
    `select a.connection_key as name, a.at, a.failed, t.n from ${asked} a
     join (select connection_key, max(id) as id, count(*) as n from ${asked} group by connection_key) t on t.id = a.id`,
  );
  return new Map(
    (rows as { name: string; at: unknown; failed: string | null; n: number }[]).map((row) => [
      row.name,
      { asked: Number(row.n), lastAt: moment(row.at), lastFailed: row.failed },
    ]),
  );
}

function moment(at: unknown): string {
  return `${String(at).replace(' ', 'T').slice(0, 23)}Z`;
}
