import type { Database } from '../database/connection';
import { bumpCatalog } from '../database/structure';

/** The hosts that may be asked, as the keeper has set them: `register.example.org`, `127.0.0.1:4701`. */
export async function allowedHosts(db: Database): Promise<string[]> {
  const row = await settings(db).first('value');
  return String(row?.value ?? '')
    .split(/[\s,]+/)
    .filter((host) => host !== '');
}

/** Sets the hosts that may be asked. */
export async function allowHosts(db: Database, hosts: readonly string[]): Promise<void> {
  await settings(db).update({ value: hosts.join('\n') });
  await bumpCatalog(db, db.knex);
}

function settings(db: Database) {
  return db.knex('setting').withSchema(db.catalog).where({ name: 'outside_hosts' });
}
