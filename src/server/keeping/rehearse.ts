import type { PersonFacts } from '$lib/core/entry/person';
import type { Reader } from '$lib/core/entry/settle';
import { problemsIn } from '$lib/core/plan/checkup';
import { examine } from '$lib/core/wiring/examine';
import type { AskedHashes } from '$lib/core/plan/asked-sheet';
import type { Plan } from '$lib/core/plan/schema';
import { fail, ProblemError } from '$lib/core/problems';
import { clockFrom } from '$lib/core/formula/clock';
import type { Rehearsal, RehearsedStep } from '$lib/core/rehearsal/rehearsal';
import {
  acceptRehearsal,
  recordRehearsal,
  rehearsedForm,
  runAsNow,
  runAsRecorded,
  type Run,
} from '$lib/core/rehearsal/run';
import type { House } from '$lib/core/table/definition';
import type { WiredForm } from '$lib/core/wiring/form';
import { breather } from '../breathe';
import { loadDraft, publishForm, type CatalogForm } from '../catalog/forms';
import { listRehearsals, type KeptRehearsal } from '../catalog/rehearsals';
import type { Database } from '../database/connection';
import { databaseReader } from '../records/answers';
import { openRecord } from '../records/open';
import { askedForm } from '../records/questions';
import { knownForm } from '../records/wired';

/** Where rehearsals are played: on what, and under which plan. */
export interface Stage {
  db: Database;
  house: House;
  plan: Plan;
}

/** What was filled in and is to be kept. */
export interface Filling {
  steps: readonly RehearsedStep[];
  asked: AskedHashes;
  link: Record<string, string>;
  record: number | null;
}

/** Plays what was filled in on what is stored now, and keeps what was answered and what came of it. */
export async function rehearsalOf(
  { db, house, plan }: Stage,
  { steps, asked, link, record }: Filling,
  person: PersonFacts,
): Promise<Rehearsal> {
  const { sets, plan: whole } = await askedForm(db, house, plan, { asked });
  const form = knownForm(whole, house);
  const begins =
    record === null
      ? null
      : ((await openRecord(db, db.knex, house, form, record)) ?? gone(house, plan, record));
  const clock = clockFrom(() => new Date());
  const script = {
    ...{ begins, link, person: { ...person }, asked: { ...sets }, steps: [...steps] },
    ...{ today: clock.today(), now: clock.now() },
  };
  return recordRehearsal(form, script, databaseReader(db, db.knex, house, form));
}

/** Plays a rehearsal with the answers that were recorded, and asks what was not; or on what is stored now. */
export function runRehearsal(
  stage: Stage,
  rehearsal: Rehearsal,
  answers: 'recorded' | 'now',
): Promise<Run> {
  const { form, reader } = staged(stage, rehearsal);
  return answers === 'now'
    ? againstNow(stage, form, rehearsal, reader)
    : runAsRecorded(form, rehearsal, reader);
}

/** Takes what comes of a rehearsal as what is expected. */
export function acceptedRehearsal(stage: Stage, rehearsal: Rehearsal): Promise<Rehearsal> {
  const { form, reader } = staged(stage, rehearsal);
  return acceptRehearsal(form, rehearsal, reader);
}

/** Whether a rehearsal holds; one that comes to no end does not. */
async function holds(stage: Stage, rehearsal: Rehearsal): Promise<boolean> {
  try {
    return (await runRehearsal(stage, rehearsal, 'recorded')).verdict.holds;
  } catch (error) {
    if (error instanceof ProblemError) return false;
    throw error;
  }
}

/** The names of the rehearsals that do not hold on a plan. */
export async function failingRehearsals(
  stage: Stage,
  kept: readonly KeptRehearsal[],
): Promise<string[]> {
  const failing: string[] = [];
  const breathe = breather();
  for (const { name, rehearsal } of kept) {
    if (!(await holds(stage, rehearsal))) failing.push(name);
    await breathe();
  }
  return failing;
}

/**
 * Publishes a draft once its rehearsals were played on it. Where some do not hold, it is published only with a word of
 * why, which the edition keeps.
 */
export async function publishRehearsed(
  { db, house }: Pick<Stage, 'db' | 'house'>,
  key: string,
  { revision, why }: { revision: number; why?: string | undefined },
  by: string,
): Promise<CatalogForm> {
  const { form, plan } = await loadDraft(db, key);
  if (form.revision !== revision) fail('draft_changed', {}, 409);
  const kept = await listRehearsals(db, form.id);
  // A draft that cannot be wired is refused by what publishes it.
  const sound = problemsIn(examine(plan, house.whole)).length === 0;
  const failing = sound ? await failingRehearsals({ db, house, plan }, kept) : [];
  if (failing.length > 0 && why === undefined) {
    const names = failing.map((name) => `“${name}”`).join(', ');
    fail('rehearsals_fail', { names }, 422, 'why');
  }
  return publishForm(db, key, revision, by, failing.length > 0 ? (why ?? null) : null);
}

/** On what is stored now the record is opened as it is now; one that is gone leaves nothing to play. */
async function againstNow(
  { db, house, plan }: Stage,
  form: WiredForm,
  rehearsal: Rehearsal,
  reader: Reader,
): Promise<Run> {
  const id = rehearsal.begins?.stored.id;
  if (id === undefined) return runAsNow(form, rehearsal, reader);
  const begins = await openRecord(db, db.knex, house, form, id);
  return runAsNow(form, { ...rehearsal, begins: begins ?? gone(house, plan, id) }, reader);
}

function gone(house: House, plan: Plan, id: number): never {
  const table = house.get(plan.table)?.title ?? plan.table;
  return fail('unknown_record', { id: String(id), table }, 404);
}

function staged(
  { db, house, plan }: Stage,
  rehearsal: Rehearsal,
): { form: WiredForm; reader: Reader } {
  const form = rehearsedForm(knownForm(plan, house), rehearsal);
  return { form, reader: databaseReader(db, db.knex, house, form) };
}
