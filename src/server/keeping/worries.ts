import { loadTables } from '../catalog/tables';
import type { Database } from '../database/connection';
import { backupState } from './backups';
import { lyingAbout } from './figures';
import { serverSettings, unfit } from './fitness';
import { noteSizes } from './growth';

/** What a keeper should look at, in words for machines; the keeper's page says the same in sentences. */
export const worries = [
  'backup_failed',
  'backup_old',
  'outbox_failed',
  'outside_failing',
  'database_unfit',
] as const;
export type Worry = (typeof worries)[number];

/** What is known is told for so long: health is asked every second. Milliseconds. */
const fresh = 15_000;
const looked = new WeakMap<Database, { at: number; found: Promise<Worry[]> }>();

/** What is to be looked at now, or a moment ago. */
export function worriesOf(db: Database): Promise<Worry[]> {
  const known = looked.get(db);
  if (known && performance.now() - known.at < fresh) return known.found;
  const found = look(db);
  looked.set(db, { at: performance.now(), found });
  void found.catch(() => looked.delete(db));
  return found;
}

async function look(db: Database): Promise<Worry[]> {
  await noteSizes(db, await loadTables(db));
  const [backup, lying, settings] = await Promise.all([
    backupState(db),
    lyingAbout(db),
    serverSettings(db),
  ]);
  const holds: Record<Worry, boolean> = {
    backup_failed: backup.worry === 'failed',
    backup_old: backup.worry === 'old',
    outbox_failed: lying.failed > 0,
    outside_failing: lying.failing.length > 0,
    database_unfit: unfit(settings).length > 0,
  };
  return worries.filter((worry) => holds[worry]);
}
