import type { Plan } from '$lib/core/plan/schema';
import type { WiredForm } from '$lib/core/wiring/form';
import { loadTables, revisionRead } from '../catalog/tables';
import { openDatabase } from '../database/connection';
import { readingFrom } from '../database/replica';
import { knownForm } from '../records/wired';
import { settings } from '../settings';
import { judgeEach, judge, type Judged, type Page } from './drift';

const { UNISOR_DATABASE_URL: url = '', UNISOR_SCHEMA } = settings();
const db = openDatabase(url, UNISOR_SCHEMA);

/** The run that is worked on, with its form as it was wired when its first page came. */
let known: { run: number; wired: Promise<WiredForm> } | null = null;

/** Judges a page of records, in a thread of {@link judgingThreads}. */
export default async function judgePage({ run, plan, ids }: Page): Promise<Judged[]> {
  if (known?.run !== run) known = { run, wired: wire(plan) };
  const form = await known.wired;
  const reads = await readingFrom(db, null, () => revisionRead(db));
  return judgeEach(ids, (some) => judge(reads, form.tables, form, some));
}

async function wire(plan: Plan): Promise<WiredForm> {
  return knownForm(plan, await loadTables(db));
}
