import { LRUCache } from 'lru-cache';
import { askedBy, askedPlan, asks, type AskingSection } from '$lib/core/plan/asked-plan';
import {
  hashesOf,
  setsOf,
  type AskedHashes,
  type KeptSet,
  type KeptSets,
} from '$lib/core/plan/asked-sheet';
import { askedSetSchema, mostQuestions, type AskedSet } from '$lib/core/plan/asked-set';
import { type Plan, type Questions, type Section } from '$lib/core/plan/schema';
import { narrowedBy } from '$lib/core/table/conditions';
import type { House } from '$lib/core/table/definition';
import { checkValue } from '$lib/core/values/parse';
import type { Value } from '$lib/core/values/types';
import {
  readQuestions,
  type QuestionFault,
  type QuestionRow,
  type ReadQuestions,
} from '$lib/core/wiring/questions';
import { hashOf } from '../access/hashes';
import { tableFrom } from '../catalog/tables';
import type { Database } from '../database/connection';
import { parseJson } from '../database/json';
import { rowsOf } from '../database/rows';
import { allOf, orderBy, TableQuery } from './query';
import { fromDatabase } from './values';
import { knownForm } from './wired';

/** A plan with its questions as fields, and which they are. */
export interface AskedForm {
  plan: Plan;
  sets: KeptSets;
  /** The rows that cannot be asked, by section. */
  faults: Readonly<Record<string, readonly QuestionFault[]>>;
}

/** What a request says of the questions: which it means, and the values under which others are asked. */
export interface AskedWish {
  asked?: AskedHashes | undefined;
  values?: Readonly<Record<string, unknown>> | undefined;
}

const nothingAsked = { sets: {}, faults: {} };

/** The plan as it is filled in: the questions that a request names, otherwise those that its values ask for now. */
export async function askedForm(
  db: Database,
  { whole: tables }: House,
  plan: Plan,
  { asked = {}, values = {} }: AskedWish = {},
): Promise<AskedForm> {
  const sections = plan.sections.filter(asks).filter((section) => !section.asked);
  if (sections.length === 0) return { plan, ...nothingAsked };
  const sets: Record<string, KeptSet> = {};
  const faults: Record<string, readonly QuestionFault[]> = {};
  for (const section of sections) {
    const hash = asked[section.key];
    const found = hash === undefined ? null : await keptSet(db, hash);
    if (found) {
      sets[section.key] = found;
      continue;
    }
    const now = await askNow(db, tables, plan, section, values);
    sets[section.key] = now.kept;
    faults[section.key] = now.faults;
  }
  return { plan: expanded(plan, sets), sets, faults };
}

/** Plans with their questions, by which these are: a plan stays one object as long as nothing changes. */
const plans = new WeakMap<Plan, LRUCache<string, Plan>>();
const mostPlans = 100;

function expanded(plan: Plan, sets: KeptSets): Plan {
  const known = plans.get(plan) ?? new LRUCache<string, Plan>({ max: mostPlans });
  plans.set(plan, known);
  const name = JSON.stringify(hashesOf(sets));
  const made = known.get(name) ?? askedPlan(plan, setsOf(sets));
  known.set(name, made);
  return made;
}

/** What a section asks under values, as the rows of its table say now. */
async function askNow(
  db: Database,
  tables: House,
  plan: Plan,
  section: AskingSection,
  values: Readonly<Record<string, unknown>>,
): Promise<{ kept: KeptSet; faults: readonly QuestionFault[] }> {
  const { fields } = knownForm(plan, tables);
  const given = Object.fromEntries(
    askedBy(section).map((key) => {
      const wired = fields.get(key);
      const checked = wired && checkValue(wired.type, values[key] ?? null, key);
      return [key, checked && 'value' in checked ? checked.value : null];
    }),
  );
  const rows = await readQuestionRows(db, tables, section.questions, given);
  const { questions, faults } = readOnce(plan, section, rows, tables);
  const set: AskedSet = { given, questions };
  const kept = { hash: hashOf(JSON.stringify(set)), set };
  await keep(db, kept);
  return { kept, faults };
}

const readBefore = new WeakMap<Plan, LRUCache<string, ReadQuestions>>();

/** The questions of rows, without looking again at what was looked at. */
function readOnce(
  plan: Plan,
  section: Section,
  rows: readonly QuestionRow[],
  tables: House,
): ReadQuestions {
  const known = readBefore.get(plan) ?? new LRUCache<string, ReadQuestions>({ max: mostPlans });
  readBefore.set(plan, known);
  const lists = [...tables.lists.values()].map(({ key, values }) => [key, values]);
  const name = hashOf(JSON.stringify([section.key, rows, lists, [...tables.keys()]]));
  const read = known.get(name) ?? readQuestions(plan, section, rows, tables);
  known.set(name, read);
  return read;
}

/** So many rows are read at most. */
export const mostAsked = 2 * mostQuestions;

/**
 * The rows that a section asks, in their order, under the values that narrow them (all rows where these are
 * `null`), with the columns that say a question and `more`. A form asks them whoever fills it in.
 */
export async function readQuestionRows(
  db: Database,
  tables: House,
  { table: key, narrowings, columns }: Questions,
  given: Readonly<Record<string, Value>> | null,
  more: readonly string[] = [],
): Promise<QuestionRow[]> {
  const waits = narrowings.some(
    ({ field, whileEmpty }) =>
      given !== null && whileEmpty === 'nothing' && (given[field] ?? null) === null,
  );
  if (waits) return [];
  const table = tableFrom(tables, key);
  const query = new TableQuery(db, tables, table);
  const said = [...new Set([...Object.values(columns), ...more])].filter((one) => one !== null);
  const read = said.map((column) => ({ column, ...query.column(column) }));
  const conditions = (given === null ? [] : narrowings).flatMap(({ path, operator, field }) => {
    const condition = narrowedBy(path, operator, given?.[field] ?? null);
    return condition ? [query.condition(condition)] : [];
  });
  const order = [...more, ...(columns.order === null ? [] : [columns.order])];
  const terms = query.order(order.map((path) => ({ path, descending: false })));
  const where = allOf(conditions);
  const select = ['r.`id` as id', ...read.map(({ sql }, i) => `${sql} as v${i}`)].join(', ');
  const sql = `select ${select} ${query.from()} where ${where.sql} ${orderBy(terms)} limit ${mostAsked + 1}`;
  const rows = await rowsOf(db.knex, sql, where.bindings);
  return rows.map((row) => ({
    id: Number(row.id),
    values: Object.fromEntries(
      read.map(({ column, type }, i) => [column, fromDatabase(type, row[`v${i}`])]),
    ),
  }));
}

/** Sets by catalog and hash, with when this process has last noted that one was given; milliseconds. */
const known = new LRUCache<string, { kept: KeptSet; given: number }>({ max: 500 });
/** How exactly it is noted when a set was last given. Milliseconds. */
const noted = 3_600_000;

async function keep(db: Database, kept: KeptSet): Promise<void> {
  const name = nameIn(db, kept.hash);
  if (Date.now() - (known.get(name)?.given ?? 0) < noted) return;
  const sql = `insert into ??.asked_set (hash, content, given_at) values (?, ?, utc_timestamp())
    on duplicate key update given_at = utc_timestamp()`;
  await db.knex.raw(sql, [db.catalog, kept.hash, JSON.stringify(kept.set)]);
  known.set(name, { kept, given: Date.now() });
}

function nameIn(db: Database, hash: string): string {
  return `${db.name} ${hash}`;
}

/** The set of this name; `null` where nobody was ever asked so. */
async function keptSet(db: Database, hash: string): Promise<KeptSet | null> {
  const name = nameIn(db, hash);
  const found = known.get(name);
  if (found) return found.kept;
  const row = await db.knex('asked_set').withSchema(db.catalog).where({ hash }).first('content');
  if (!row) return null;
  const set = askedSetSchema.parse(parseJson(row.content));
  const kept = { hash, set };
  known.set(name, { kept, given: 0 });
  return kept;
}
