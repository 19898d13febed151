import { endDatabase, openDatabase } from '../database/connection';
import { endReading } from '../database/replica';
import { settings } from '../settings';
import { judgingHere, workOnDrift } from './drift';
import { judgingThreads } from './drift-threads';

/** Fewer records are judged before threads have begun. */
const worthThreads = 10_000;

/** `tsx drift-process.ts RUN`: works on one run over stored records, beside the server and with less right to the processor. */
const { UNISOR_DATABASE_URL: url = '', UNISOR_SCHEMA } = settings();
const db = openDatabase(url, UNISOR_SCHEMA);
try {
  await workOnDrift(db, Number(process.argv[2]), (here, { total, judged }) =>
    total - judged < worthThreads ? judgingHere(here) : judgingThreads(),
  );
} finally {
  await endReading();
  await endDatabase(db);
}
