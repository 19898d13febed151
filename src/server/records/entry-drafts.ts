import { momentOf } from '../database/moments';
import { z } from 'zod';
import type { Database } from '../database/connection';
import { parseJson } from '../database/json';

/** What was typed and not saved yet, as the screen that keeps it can go on with it. */
export const entryDraftSchema = z.strictObject({
  /** Milliseconds since 1970 on the clock of the screen. */
  at: z.number().int().min(0).max(8.64e15),
  /** In a few words what it is about, for the list of drafts. */
  about: z.string().max(200).default(''),
  content: z.record(z.string(), z.unknown()),
});
export type EntryDraft = z.infer<typeof entryDraftSchema>;

/** A draft in the list of one's drafts. */
export interface DraftHead {
  form: string;
  /** The record that it changes; `null` for a new one. */
  record: number | null;
  /** The columns that a new one began with, as an address carries them. */
  carried: string;
  at: string;
  about: string;
}

/** Whose draft it is, and of what. */
export interface DraftPlace {
  person: string;
  form: string;
  record: number | null;
  /** The columns that a new one began with, as an address carries them; `''` for none. */
  carried: string;
}

/** The draft that a person has of a form or of a record in it; `null` where there is none. */
export async function readEntryDraft(
  db: Database,
  place: DraftPlace,
): Promise<(EntryDraft & { keptAt: number }) | null> {
  const row = await drafts(db).where(columns(place)).first('content', 'at');
  const parsed = row && entryDraftSchema.safeParse(parseJson(row.content));
  return parsed?.success ? { ...parsed.data, keptAt: moment(row.at) } : null;
}

/**
 * Keeps a draft over the one before; an older one of the same screen that comes late is dropped. When it was
 * kept is told by the database's clock (that of a screen may be a year ahead), in milliseconds since 1970.
 */
export async function keepEntryDraft(
  db: Database,
  place: DraftPlace,
  draft: EntryDraft,
): Promise<number> {
  const newer = `json_value(values(content), '$.content.submission') <> coalesce(json_value(content, '$.content.submission'), '')
      or cast(json_value(values(content), '$.at') as decimal(20)) >= cast(json_value(content, '$.at') as decimal(20))`;
  const sql = `insert into ??.entry_draft (person, form_key, record_id, carried, content, at)
    values (?, ?, ?, ?, ?, now(3))
    on duplicate key update at = if(${newer}, now(3), at), content = if(${newer}, values(content), content)`;
  const { person, form_key, record_id, carried } = columns(place);
  const bound = [db.catalog, person, form_key, record_id, carried, JSON.stringify(draft)];
  await db.knex.raw(sql, bound);
  const row = await drafts(db).where(columns(place)).first('at');
  return moment(row?.at);
}

/** Forgets a draft: it was saved, or given up. */
export async function dropEntryDraft(db: Database, place: DraftPlace): Promise<void> {
  await drafts(db).where(columns(place)).delete();
}

/** A person's drafts, newest first. */
export async function listEntryDrafts(db: Database, person: string): Promise<DraftHead[]> {
  const rows = await drafts(db)
    .where({ person })
    .orderBy('at', 'desc')
    .limit(100)
    .select(
      'form_key',
      'record_id',
      'carried',
      'at',
      db.knex.raw(`json_value(content, '$.about') as about`),
    );
  return rows.map((row) => ({
    form: String(row.form_key),
    record: Number(row.record_id) || null,
    carried: String(row.carried),
    at: momentOf(row.at),
    about: String(row.about ?? ''),
  }));
}

function moment(at: unknown): number {
  return Date.parse(momentOf(at));
}

function columns({ person, form, record, carried }: DraftPlace) {
  return { person, form_key: form, record_id: record ?? 0, carried };
}

function drafts(db: Database) {
  return db.knex('entry_draft').withSchema(db.catalog);
}
