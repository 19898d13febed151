import { Decimal } from 'decimal.js';
import type { Knex } from 'knex';
import { z } from 'zod';
import { takenBy } from '$lib/core/entry/answer-rows';
import type { Entry } from '$lib/core/entry/entry';
import type { PlannedWrite } from '$lib/core/entry/planned-write';
import type { StoredRecord } from '$lib/core/entry/stored';
import { askedBy, asks } from '$lib/core/plan/asked-plan';
import { answerColumn, type AskedField } from '$lib/core/plan/asked-set';
import type { AskedHashes, KeptSets } from '$lib/core/plan/asked-sheet';
import type { Plan } from '$lib/core/plan/schema';
import { problem, type Problem } from '$lib/core/problems';
import type { House } from '$lib/core/table/definition';
import { sameValue, type Value, type ValueType } from '$lib/core/values/types';
import type { WiredForm } from '$lib/core/wiring/form';
import { tableFrom } from '../catalog/tables';
import type { Database, Runner } from '../database/connection';
import { readStored, type Holding } from './stored';

/** Sheets: records that were asked questions, with an answer in a row of its own for each. */

/** The questions that a stored sheet was asked, by section. */
export async function sheetAsked(
  db: Database,
  runner: Runner,
  plan: Plan,
  record: number,
): Promise<AskedHashes> {
  const sections = plan.sections.filter(asks);
  if (sections.length === 0) return {};
  const rows: unknown[] = await runner('sheet')
    .withSchema(db.catalog)
    .where({ table_key: plan.table, record_id: record })
    .select('answers_key', 'hash');
  const schema = z.object({ answers_key: z.string(), hash: z.string() });
  const hashes = new Map(
    rows.map((row) => {
      const { answers_key, hash } = schema.parse(row);
      return [answers_key, hash];
    }),
  );
  return Object.fromEntries(
    sections.flatMap(({ key, questions }) => {
      const hash = hashes.get(questions.answers.table);
      return hash === undefined ? [] : [[key, hash]];
    }),
  );
}

/** Notes which questions a sheet was asked; it is opened with them from then on. */
export async function keepSheet(
  db: Database,
  trx: Knex.Transaction,
  plan: Plan,
  record: number,
  sets: KeptSets,
): Promise<void> {
  const rows = plan.sections.filter(asks).flatMap(({ key, questions }) => {
    const kept = sets[key];
    const place = {
      table_key: plan.table,
      record_id: record,
      answers_key: questions.answers.table,
    };
    return kept ? [{ ...place, hash: kept.hash }] : [];
  });
  if (rows.length === 0) return;
  await trx('sheet')
    .withSchema(db.catalog)
    .insert(rows)
    .onConflict(['table_key', 'record_id', 'answers_key'])
    .merge(['hash']);
}

/** So long after they were last asked questions can still be answered. Days. */
const lasting = 2;

/** What is wrong with the questions of an entry: those of another choice, or of long ago. */
export async function askedProblems(
  db: Database,
  trx: Runner,
  entry: Entry,
  { plan, sets }: { plan: Plan; sets: KeptSets },
  before: AskedHashes,
): Promise<Problem[]> {
  const found: Problem[] = [];
  for (const section of plan.sections.filter(asks)) {
    const kept = sets[section.key];
    if (!kept) continue;
    const by = askedBy(section);
    const other = by.find((key) => !sameValue(entry.value(key), kept.set.given[key] ?? null));
    if (other !== undefined) {
      found.push(problem('questions_other', {}, other));
      continue;
    }
    if (before[section.key] === kept.hash) continue;
    const row = await trx('asked_set')
      .withSchema(db.catalog)
      .where({ hash: kept.hash })
      .whereRaw(`given_at > utc_timestamp() - interval ${lasting} day`)
      .first('hash');
    if (!row) found.push(problem('questions_old', {}, by[0] ?? ''));
  }
  return found;
}

/** The same writes, without references to rows of questions that are gone. */
export async function standingQuestions(
  db: Database,
  trx: Knex.Transaction,
  { whole: tables }: House,
  plan: Plan,
  writes: readonly PlannedWrite[],
): Promise<PlannedWrite[]> {
  let left = [...writes];
  for (const { questions } of plan.sections.filter(asks)) {
    const { table, question } = questions.answers;
    if (question === null) continue;
    const ids = left.flatMap(({ table: to, values }) => {
      const id = to === table ? values[question] : null;
      return typeof id === 'number' ? [id] : [];
    });
    if (ids.length === 0) continue;
    const rows = tableFrom(tables, questions.table);
    const wish = { column: 'id', is: [...new Set(ids)] };
    const there = new Set((await readStored(db, trx, tables, rows, wish)).map(({ id }) => id));
    left = left.map((write) => {
      const id = write.table === table ? write.values[question] : null;
      if (typeof id !== 'number' || there.has(id)) return write;
      return { ...write, values: { ...write.values, [question]: null } };
    });
  }
  return left;
}

/** The sheet with its answers, as columns of it; the rows that hold them are named beside. */
export async function withAnswers(
  db: Database,
  runner: Runner,
  tables: House,
  form: WiredForm,
  stored: StoredRecord,
  holding: Holding,
): Promise<StoredRecord> {
  const sections = form.plan.sections.filter(asks);
  if (sections.length === 0) return stored;
  const values: Record<string, Value> = { ...stored.values };
  const answers: NonNullable<StoredRecord['answers']> = {};
  for (const { key, questions } of sections) {
    const { table: name, ...columns } = questions.answers;
    const table = tableFrom(tables, name);
    const wish = { column: columns.sheet, is: [stored.id] };
    const asked = new Map<string | null, { asked: AskedField; type: ValueType }>(
      [...form.fields.values()].flatMap(({ field, type }) =>
        field.asked?.section === key
          ? [[field.savesTo, { asked: field.asked, type }] as const]
          : [],
      ),
    );
    for (const row of await readStored(db, runner, tables, table, wish, holding)) {
      const code = String(row.values[columns.code] ?? '');
      const plain = answerColumn(code);
      const ticked = answerColumn(code, String(row.values[columns.option] ?? ''));
      const column = asked.has(ticked) ? ticked : plain;
      const known = asked.get(column);
      const place = { table: name, id: row.id, version: row.version };
      if (!known || column in answers) {
        // Of a question that the sheet does not ask any more.
        answers[`${plain}#${row.id}`] = place;
        continue;
      }
      answers[column] = place;
      const taken = columns[takenBy(known.asked, known.type)] ?? columns.text;
      const held = row.values[taken] ?? null;
      values[column] = known.asked.option === null ? valueIn(known.type, held) : true;
    }
  }
  return { ...stored, values, answers };
}

/** An answer as its question holds it: a column of numbers has more places than it may have. */
function valueIn(type: ValueType, held: Value): Value {
  if (held === null) return null;
  switch (type.kind) {
    case 'whole':
    case 'reference':
      return Number(held);
    case 'decimal':
      return new Decimal(String(held)).toFixed(type.scale);
    default:
      return held;
  }
}
