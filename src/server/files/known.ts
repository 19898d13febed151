import type { Knex } from 'knex';
import { keptFileSchema, type KeptFile } from '$lib/core/values/files';
import type { Database, Runner } from '../database/connection';

/** What the house knows of a file; `type` is `null` as long as it has not come whole. */
export interface KnownFile {
  file: string;
  name: string;
  size: number;
  got: number;
  type: string | null;
  handedBy: string;
}

/** The table of all files. */
export function files(db: Database, runner: Runner): Knex.QueryBuilder {
  return runner('file').withSchema(db.catalog);
}

/** Files by their names, those that are there. */
export async function knownFiles(
  db: Database,
  runner: Runner,
  ids: readonly string[],
): Promise<Map<string, KnownFile>> {
  if (ids.length === 0) return new Map();
  const rows = (await files(db, runner).whereIn('file', ids)) as Record<string, unknown>[];
  return new Map(
    rows.map((row): [string, KnownFile] => [
      String(row.file),
      {
        file: String(row.file),
        name: String(row.name),
        size: Number(row.size),
        got: Number(row.got),
        type: row.type === null ? null : String(row.type),
        handedBy: String(row.handed_by),
      },
    ]),
  );
}

/** A file that has come whole, as values name it. */
export function asKept({ file, name, type, size }: KnownFile): KeptFile {
  return keptFileSchema.parse({ file, name, type, size });
}
