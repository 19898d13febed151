import { momentOf } from '../database/moments';
import type { House } from '$lib/core/table/definition';
import type { Database } from '../database/connection';
import { rowsOf } from '../database/rows';
import { countTables } from '../records/count';

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

/** The newest run over the stored records of a form. */
export interface DriftOfForm {
  form: string;
  title: string;
  at: string;
  judged: number;
  /** How many records do not fit, and are not left as they are. */
  records: number;
  /** How many did not fit when runs ended, the oldest first. */
  before: { at: string; records: number }[];
}

/** Days over which it is told how records fitted: twelve weeks. */
const toldFor = 84;

/** How the stored records of forms fit, as their newest runs have found; what fits worst comes first. */
export async function driftByForm(
  db: Database,
  forms: readonly { key: string; title: string }[],
): Promise<DriftOfForm[]> {
  const c = `\`${db.catalog}\``;
  const rows = await rowsOf(
    db.knex,
    `select r.form_key, r.begun_at, r.judged,
       coalesce(r.unfit, (select count(distinct f.record) from ${c}.drift_found f where f.run = r.id)) as records
     from ${c}.drift_run r
     join (select max(id) as id from ${c}.drift_run group by form_key) l on l.id = r.id`,
  );
  const ended = await rowsOf(
    db.knex,
    `select form_key, begun_at, unfit from ${c}.drift_run
     where unfit is not null and begun_at > utc_timestamp() - interval ${toldFor} day order by begun_at`,
  );
  return rows
    .flatMap((row) => {
      const form = forms.find(({ key }) => key === row.form_key);
      if (!form) return [];
      const at = momentOf(row.begun_at);
      const counted = { judged: Number(row.judged), records: Number(row.records) };
      const before = ended
        .filter(({ form_key }) => form_key === form.key)
        .map((run) => ({ at: momentOf(run.begun_at), records: Number(run.unfit) }));
      return [{ form: form.key, title: form.title, at, ...counted, before }];
    })
    .sort((a, b) => b.records - a.records || a.title.localeCompare(b.title));
}

/** The tables of a house by their size, the largest first; how many records they have as `countTables` says. */
export async function tableSizes(db: Database, { whole }: House): Promise<TableSize[]> {
  const [counts, rows] = await Promise.all([
    countTables(db, whole),
    rowsOf(
      db.knex,
      `select table_name as name, data_length + index_length as bytes
       from information_schema.tables where table_schema = ?`,
      [db.records],
    ),
  ]);
  return rows
    .flatMap(({ name, bytes }) => {
      const table = whole.get(String(name));
      const records = counts.get(String(name)) ?? 0;
      const size = { records, bytes: Number(bytes ?? 0) };
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
