import { momentOf } from '../database/moments';
import type { House } from '$lib/core/table/definition';
import type { Database } from '../database/connection';
import { rowsOf } from '../database/rows';

/** How large a table is, about: the database counts roughly. */
export interface TableSize {
  key: string;
  title: string;
  records: number;
  bytes: number;
}

/** What is lying about: things that somebody should look at. */
export interface Lying {
  drafts: { person: string; form: string; at: string }[];
  waiting: number;
  failed: number;
  failing: { connection: string; failed: number; asked: number }[];
  people: number;
}

/** The tables of a house by their size, the largest first. */
export async function tableSizes(db: Database, { whole }: House): Promise<TableSize[]> {
  const rows = await rowsOf(
    db.knex,
    `select table_name as name, table_rows as n, data_length + index_length as bytes
     from information_schema.tables where table_schema = ?`,
    [db.records],
  );
  return rows
    .flatMap(({ name, n, bytes }) => {
      const table = whole.get(String(name));
      const size = { records: Number(n ?? 0), bytes: Number(bytes ?? 0) };
      return table ? [{ key: table.key, title: table.title, ...size }] : [];
    })
    .sort((a, b) => b.bytes - a.bytes);
}

/** Drafts of entries untouched for a week, what waits to be sent, and outside systems that failed within a day. */
export async function lyingAbout(db: Database): Promise<Lying> {
  const catalog = (name: string) => db.knex(name).withSchema(db.catalog);
  const drafts = await catalog('entry_draft')
    .whereRaw('at < utc_timestamp() - interval 7 day')
    .orderBy('at')
    .limit(50)
    .select('person', 'form_key as form', 'at');
  const states = (await catalog('outbox')
    .whereIn('state', ['waiting', 'failed'])
    .groupBy('state')
    .select('state')
    .count({ n: '*' })) as Record<string, unknown>[];
  const failing = await catalog('outside_asked')
    .whereRaw('at > utc_timestamp() - interval 1 day')
    .groupBy('connection_key')
    .havingRaw('sum(failed is not null) > 0')
    .select('connection_key as connection')
    .select(db.knex.raw('sum(failed is not null) as failed, count(*) as asked'));
  const [people] = await catalog('account').count({ n: '*' });
  const stateOf = (state: string) => Number(states.find((row) => row.state === state)?.n ?? 0);
  return {
    drafts: (drafts as Lying['drafts']).map((row) => ({
      ...row,
      at: momentOf(row.at),
    })),
    ...{ waiting: stateOf('waiting'), failed: stateOf('failed') },
    failing: (failing as Record<string, unknown>[]).map((row) => ({
      connection: String(row.connection),
      ...{ failed: Number(row.failed), asked: Number(row.asked) },
    })),
    people: Number(people?.n ?? 0),
  };
}
