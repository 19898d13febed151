import type { Database } from '../../src/server/database/connection';
import { contentsOf } from '../../src/server/keeping/beside';

/** Leases come and go, backups are noted, and what changes are counted by is raised where a house is restored. */
const besides = new Set(['lease', 'backup_made', 'setting', 'form', 'option_list']);

/** What people have written, by table. */
export async function writtenIn(db: Database): ReturnType<typeof contentsOf> {
  const all = await contentsOf({ knex: db.knex }, { catalog: db.catalog, records: db.records });
  return all.filter(({ table }) => !besides.has(table));
}
