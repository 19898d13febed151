import { settings } from './settings';
import { closeDatabase, database, type Database } from './database/connection';
import { migrate } from './database/migrate';
import { endReading } from './database/replica';
import { startSweeping, stopSweeping } from './files/sweep';
import { endDrifts, goOnWithDrifts } from './keeping/drift-behind';
import { startWords, stopWords } from './keeping/words';
import { startBackups, stopBackups } from './keeping/schedule';
import { log } from './log';
import { removeCutOffPackage } from './out/coming-in';
import { writeNoted } from './outside/lately';
import { writeUses } from './records/form-uses';
import { endThreads } from './threads/pool';
import { closeMail } from './outside/mail';
import { startDelivery, stopDelivery } from './outside/outbox';
import { closePools } from './outside/sql';

let starting: Promise<void> | null = null;

/** The database of this process, migrated; tries again where the last attempt failed. */
export async function readyDatabase(): Promise<Database> {
  const db = database();
  starting ??= migrate(db, settings().UNISOR_DATABASE_URL ?? '').then(
    async () => {
      await removeCutOffPackage(db);
      startDelivery(db);
      startSweeping(db);
      startBackups(db);
      startWords(db);
      void goOnWithDrifts(db).catch((err: unknown) => log.warn({ err }, 'runs were not taken up'));
    },
    (error) => {
      starting = null;
      throw error;
    },
  );
  await starting;
  return db;
}

/** Closes what the process holds open; called when the server stops. */
export async function stopServer(): Promise<void> {
  log.info('stopping');
  stopSweeping();
  stopBackups();
  stopWords();
  endDrifts();
  await stopDelivery();
  closeMail();
  await endThreads();
  await closePools();
  await writeNoted(database());
  await writeUses(database());
  await endReading();
  await closeDatabase();
}
