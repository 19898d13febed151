import type { Knex } from 'knex';
import { endDatabase, openDatabase, type Database } from './connection';
import * as catalog from './migrations/001_catalog';
import * as codeCounter from './migrations/002_code_counter';
import * as renames from './migrations/003_renames';
import * as saves from './migrations/004_saves';
import * as entryDrafts from './migrations/005_entry_drafts';
import * as carriedDrafts from './migrations/006_carried_drafts';
import * as optionLists from './migrations/007_option_lists';
import * as outside from './migrations/008_outside';
import * as outbox from './migrations/009_outbox';
import * as invitations from './migrations/010_invitations';
import * as leases from './migrations/011_leases';
import * as planUses from './migrations/012_plan_uses';
import * as people from './migrations/013_people';
import * as publicLinks from './migrations/014_public_links';
import * as organisation from './migrations/015_organisation';
import * as questions from './migrations/016_questions';
import * as taken from './migrations/017_taken';
import * as together from './migrations/018_together';
import * as columnBefore from './migrations/019_column_before';
import * as files from './migrations/020_files';
import * as backups from './migrations/021_backups';
import * as drift from './migrations/022_drift';
import * as rehearsals from './migrations/023_rehearsals';
import * as formUses from './migrations/024_form_uses';
import * as lockRows from './migrations/025_lock_rows';
import * as journalAtOnce from './migrations/026_journal_at_once';
import * as sessionTurns from './migrations/027_session_turns';
import * as figures from './migrations/028_figures';
import * as beforeAtOnce from './migrations/029_before_at_once';
import * as comingIn from './migrations/030_coming_in';
import * as driftLeft from './migrations/031_drift_left';
import * as wordsBeside from './migrations/032_words_beside';
import { makeLeases, underLease } from './lease';
import { finishStructureChanges, removeCutOff } from './structure';

const migrations: Record<string, Pick<Knex.Migration, 'up' | 'down'>> = {
  '001_catalog': catalog,
  '002_code_counter': codeCounter,
  '003_renames': renames,
  '004_saves': saves,
  '005_entry_drafts': entryDrafts,
  '006_carried_drafts': carriedDrafts,
  '007_option_lists': optionLists,
  '008_outside': outside,
  '009_outbox': outbox,
  '010_invitations': invitations,
  '011_leases': leases,
  '012_plan_uses': planUses,
  '013_people': people,
  '014_public_links': publicLinks,
  '015_organisation': organisation,
  '016_questions': questions,
  '017_taken': taken,
  '018_together': together,
  '019_column_before': columnBefore,
  '020_files': files,
  '021_backups': backups,
  '022_drift': drift,
  '023_rehearsals': rehearsals,
  '024_form_uses': formUses,
  '025_lock_rows': lockRows,
  '026_journal_at_once': journalAtOnce,
  '027_session_turns': sessionTurns,
  '028_figures': figures,
  '029_before_at_once': beforeAtOnce,
  '030_coming_in': comingIn,
  '031_drift_left': driftLeft,
  '032_words_beside': wordsBeside,
};

/** The migrations as modules, so that they are part of the build. */
const source: Knex.MigrationSource<string> = {
  getMigrations: async () => Object.keys(migrations),
  getMigrationName: (name) => name,
  getMigration: async (name) => migrations[name] as Knex.Migration,
};

/** Another start may take so long. Milliseconds. */
const mostWait = 120_000;

/** The migrations that this program knows, in order. */
export const knownMigrations: readonly string[] = Object.keys(migrations);

/** The migrations that a catalog has gone through, in order; none where there is no catalog. */
export async function migrationsDone(db: Database): Promise<string[]> {
  const there = await db.knex.schema.withSchema(db.catalog).hasTable('knex_migrations');
  if (!there) return [];
  const rows = await db.knex('knex_migrations').withSchema(db.catalog).orderBy('id').select('name');
  return (rows as { name: string }[]).map(({ name }) => name);
}

/** A house that was opened by a newer program is left alone. */
async function refuseNewer(db: Database): Promise<void> {
  const newer = (await migrationsDone(db)).filter((name) => !knownMigrations.includes(name));
  if (newer.length === 0) return;
  throw new Error(
    `The data were last opened by a newer Unisor (${newer.at(-1)}). Start that one, or restore a backup made before it.`,
  );
}

/** Makes both schemas if they are missing, migrates the catalog, finishes what a crash left undone. */
export async function migrate(db: Database, url: string): Promise<void> {
  const collation = 'character set utf8mb4 collate utf8mb4_uca1400_ai_ci';
  await db.knex.raw(`create database if not exists ?? ${collation}`, [db.catalog]);
  await db.knex.raw(`create database if not exists ?? ${collation}`, [db.records]);
  await refuseNewer(db);
  await makeLeases(db);
  // Whoever else starts waits here; what a killed start has left half-way is run again.
  await underLease(db, 'migrations', mostWait, async () => {
    const runner = openDatabase(url, db.catalog, true);
    const config = { migrationSource: source, disableTransactions: true };
    try {
      await runner.knex.migrate.forceFreeMigrationsLock(config);
      await runner.knex.migrate.latest(config);
    } finally {
      await endDatabase(runner);
    }
  });
  await finishStructureChanges(db);
  await removeCutOff(db);
}
