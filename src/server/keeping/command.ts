import fs from 'node:fs';
import { z } from 'zod';
import { endDatabase, openDatabase } from '../database/connection';
import { settings } from '../settings';
import { backUp } from './backups';
import { restoreBackup } from './restore';

const environment = z.object({
  /** Where the binary log is, and where the key is kept; nowhere where the database is not ours. */
  UNISOR_LOGS: z.string().optional(),
  UNISOR_SECRET_FILE: z.string().optional(),
});

const optionsSchema = z.object({
  'no-check': z.boolean(),
  replace: z.boolean(),
  until: z.string().optional(),
});

/** `tsx command.ts backup|restore FILE OPTIONS`, started by `npm run backup` and `npm run restore`. */
async function main(): Promise<void> {
  const [, , what, file = '', given = '{}'] = process.argv;
  const { UNISOR_DATABASE_URL: url = '', UNISOR_SCHEMA, UNISOR_SECRET: secret } = settings();
  const passphrase = settings().UNISOR_PASSPHRASE;
  const own = environment.parse(process.env);
  const options = optionsSchema.parse(JSON.parse(given));
  const db = openDatabase(url, UNISOR_SCHEMA);
  const tell = (line: string) => console.log(line);
  try {
    if (what === 'backup') {
      const check = !options['no-check'];
      const made = await backUp(db, url, { file, check, secret, passphrase, tell });
      tell(
        `The backup is in ${file}: ${made.tables ? 'checked, ' : ''}as of ${made.at}, ${size(file)}.`,
      );
      if (!made.key) {
        tell(
          'The key with which secrets are kept is not in it: give UNISOR_PASSPHRASE to have it sealed.',
        );
      }
      return;
    }
    const until =
      options.until === undefined ? undefined : momentOf(options.until, own.UNISOR_LOGS);
    const { replace } = options;
    const { manifest, secret: key } = await restoreBackup(db, url, {
      ...{ file, replace, passphrase, tell, until },
    });
    tell(`The house is as it was on ${options.until ?? manifest.at}.`);
    if (key !== null) keepKey(key, own.UNISOR_SECRET_FILE, tell);
    else tell('The key with which secrets are kept was not in the backup.');
    tell('Make a new backup now.');
  } finally {
    await endDatabase(db);
  }
}

function keepKey(key: string, file: string | undefined, tell: (line: string) => void): void {
  if (file === undefined) return tell(`Start Unisor with UNISOR_SECRET=${key}`);
  fs.writeFileSync(file, key, { mode: 0o600 });
}

function momentOf(written: string, logs: string | undefined): { at: Date; logs: string } {
  const at = new Date(written);
  if (Number.isNaN(at.getTime())) {
    throw new Error(`“${written}” is no moment. Write it as 2026-03-01T10:00:00Z.`);
  }
  if (logs === undefined) {
    throw new Error('--until needs the binary log of a database that Unisor has started itself.');
  }
  return { at, logs };
}

function size(file: string): string {
  return `${(fs.statSync(file).size / 1e6).toFixed(1)} MB`;
}

main().catch((error: unknown) => {
  console.error(error instanceof Error ? error.message : error);
  process.exitCode = 1;
});
