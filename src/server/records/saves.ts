import type { Table, House } from '$lib/core/table/definition';
import { displayPaths } from '$lib/core/table/paths';
import type { Database } from '../database/connection';
import { rowsOf } from '../database/rows';
import { firstRows, isChange, type Action, type Activity, type SaveKind } from './journal';
import { shownRecords } from './read';
import { seenIds } from './sight';

/** A save in a few words: who did what to which record, and what else went with it. */
export interface SaveLine {
  id: number;
  save: string;
  kind: SaveKind;
  by: string;
  at: string;
  form: string | null;
  /** What it is about. */
  table: string;
  record: number | null;
  action: Action | null;
  /** The record in one line, as it is now or was before it went; empty where nothing tells it. */
  shown: string;
  /** Whether the record is still there. */
  there: boolean;
  /** How many rows a file brought. */
  rows: number | null;
  /** What else was written, by table. */
  others: { table: string; action: Action; records: number }[];
}

/** The newest saves, each in a few words. `before` is the id of the one after which the page begins. */
export async function listSaves(
  db: Database,
  tables: House,
  wish: { limit: number; before?: number },
): Promise<SaveLine[]> {
  const heads = await seenHeads(db, tables, wish);
  const others = await othersOf(db, tables, heads);
  const shown = await shownOf(db, tables, heads);
  return heads.map((head) => {
    const { id, save, kind, by, at, form, table, record, action } = head;
    const now = record === null ? undefined : shown.get(`${table} ${record}`);
    return {
      ...{ id, save, kind, by, at, form, table, record, action },
      shown: now ?? goneText(tables.get(table), tables, head),
      there: now !== undefined,
      rows: kind === 'import' ? Number(head.changes.rows ?? 0) : null,
      others: others.get(save) ?? [],
    };
  });
}

/** At most so many pages of saves are looked through for those that are in sight. */
const mostPages = 40;

/** The newest saves that are about a record in sight. */
async function seenHeads(
  db: Database,
  tables: House,
  { limit, before }: { limit: number; before?: number },
): Promise<Activity[]> {
  if (!tables.sight) return firstRows(db, { limit, before });
  const found: Activity[] = [];
  let from = before;
  for (let page = 0; page < mostPages && found.length < limit; page++) {
    const heads = await firstRows(db, { limit, before: from });
    const seen = await seenRecords(db, tables, heads);
    found.push(...heads.filter(({ table, record }) => seen(table, record)));
    from = heads.at(-1)?.id;
    if (heads.length < limit) break;
  }
  return found.slice(0, limit);
}

/** Tells of records, by table and id, whether they are in sight; of one that is gone only where all are. */
async function seenRecords(
  db: Database,
  tables: House,
  about: readonly { table: string; record: number | null }[],
): Promise<(table: string, record: number | null) => boolean> {
  const seen = new Set<string>();
  for (const key of new Set(about.map(({ table }) => table))) {
    const ids = about.flatMap(({ table, record }) =>
      table === key && record !== null ? [record] : [],
    );
    for (const id of await seenIds(db, db.knex, tables, key, ids)) seen.add(`${key} ${id}`);
  }
  return (table, record) => {
    const all = tables.sight === null || tables.sight.get(table)?.when === null;
    return all || seen.has(`${table} ${record}`);
  };
}

async function othersOf(
  db: Database,
  tables: House,
  heads: readonly Activity[],
): Promise<Map<string, SaveLine['others']>> {
  const found = new Map<string, SaveLine['others']>();
  if (heads.length === 0) return found;
  const places = heads.map(() => '?').join(', ');
  if (tables.sight) return seenOthers(db, tables, heads);
  const sql = `select save, table_key, action, count(*) as n from \`${db.catalog}\`.journal
    where save in (${places}) and submission is null and action is not null
    group by save, table_key, action`;
  for (const row of await rowsOf(
    db.knex,
    sql,
    heads.map(({ save }) => save),
  )) {
    const action = actionOf(row.action);
    const list = found.get(String(row.save)) ?? [];
    list.push({ table: String(row.table_key), action, records: Number(row.n) });
    found.set(String(row.save), list);
  }
  return found;
}

/** The same, of what is in sight. */
async function seenOthers(
  db: Database,
  tables: House,
  heads: readonly Activity[],
): Promise<Map<string, SaveLine['others']>> {
  const places = heads.map(() => '?').join(', ');
  const sql = `select save, table_key, action, record_id from \`${db.catalog}\`.journal
    where save in (${places}) and submission is null and action is not null limit 20000`;
  const saves = heads.map(({ save }) => save);
  const rows = (await rowsOf(db.knex, sql, saves)).map((row) => ({
    save: String(row.save),
    table: String(row.table_key),
    record: Number(row.record_id),
    action: actionOf(row.action),
  }));
  const seen = await seenRecords(db, tables, rows);
  const found = new Map<string, SaveLine['others']>();
  for (const { save, table, record, action } of rows) {
    if (!seen(table, record)) continue;
    const list = found.get(save) ?? [];
    found.set(save, list);
    const known = list.find((one) => one.table === table && one.action === action);
    if (known) known.records += 1;
    else list.push({ table, action, records: 1 });
  }
  return found;
}

function actionOf(word: unknown): Action {
  return word === 'delete' ? 'delete' : word === 'update' ? 'update' : 'insert';
}

async function shownOf(
  db: Database,
  tables: House,
  heads: readonly Activity[],
): Promise<Map<string, string>> {
  const shown = new Map<string, string>();
  for (const key of new Set(heads.map(({ table }) => table))) {
    const table = tables.get(key);
    if (!table) continue;
    const ids = heads.flatMap(({ table: of, record }) =>
      of === key && record !== null ? [record] : [],
    );
    const lines = await shownRecords(db, db.knex, tables, table, [...new Set(ids)]);
    for (const [id, line] of lines) shown.set(`${key} ${id}`, line);
  }
  return shown;
}

/** How a record was told before it went, from the values that went with it. */
function goneText(table: Table | undefined, tables: House, { changes }: Activity): string {
  if (!table) return '';
  return displayPaths(tables, table)
    .flatMap((path) => {
      const change = changes[path];
      if (change === undefined) return [];
      const value = isChange(change) ? change.before : change;
      return typeof value === 'string' || typeof value === 'number' ? [String(value)] : [];
    })
    .join(' · ');
}
