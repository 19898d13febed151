import { countedQuery, type CountedAnswers } from '$lib/core/contract/counted';
import { askedBy, asks, type AskingSection } from '$lib/core/plan/asked-plan';
import type { Plan } from '$lib/core/plan/schema';
import { fieldsOf } from '$lib/core/plan/scopes';
import { fail } from '$lib/core/problems';
import { columnOf, type House } from '$lib/core/table/definition';
import { viewSchema } from '$lib/core/table/view';
import { parseText } from '$lib/core/values/parse';
import { isoReading } from '$lib/core/values/reading';
import { formatValue } from '$lib/core/values/format';
import type { Scalar } from '$lib/core/values/types';
import { reader } from '$lib/core/words/reader';
import { tableFrom } from '../catalog/tables';
import type { Database } from '../database/connection';
import { rowsOf } from '../database/rows';
import { parsed, parsedParameter } from '../respond';
import { countAnswers, type CountedWish } from './answer-counts';
import { TableQuery } from './query';
import { askedForm } from './questions';
import { shownRecords } from './read';
import { shownConditions } from './shown-conditions';
import { fromDatabase } from './values';

/** A field that picks the questions, with the values that sheets have, the most frequent first. */
export interface Pick {
  field: string;
  label: string;
  value: Scalar;
  values: { value: Scalar; label: string; sheets: number }[];
}

/** What is looked at of the answers to a form. */
export interface LookedAt {
  section: string;
  /** The tables of the sheets and of the questions. */
  sheets: string;
  asked: string;
  /** The table of answers, and its column of codes. */
  answers: string;
  codes: string;
  picks: Pick[];
  /** For each condition of the filter that names records, how they are shown. */
  filterShown: (string | null)[];
  wish: CountedWish;
  counted: CountedAnswers;
}

/** At most so many values of a field that picks questions are told. */
const mostValues = 100;

/** Counts the answers to a form as an address says: the section, the values that pick its questions, the period. */
export async function lookAtAnswers(
  db: Database,
  tables: House,
  plan: Plan,
  url: URL,
): Promise<LookedAt> {
  const address = url.searchParams;
  const query = parsed(countedQuery, Object.fromEntries(address));
  const sections = plan.sections.filter(asks);
  const section = sections.find(({ key }) => key === query.section) ?? sections[0];
  if (!section) return fail('asks_nothing', { form: plan.title }, 404);
  const picks = await picksOf(db, tables, plan, section, address);
  const given = Object.fromEntries(picks.map(({ field, value }) => [field, value]));
  const { sets } = await askedForm(db, tables, plan, { values: given });
  const filter = parsedParameter(url, 'filter', viewSchema.shape.filter, []);
  const sheets = tables.get(plan.table);
  const filterShown = sheets ? await shownConditions(db, tables, sheets, filter) : [];
  const wish = { ...query, given, filter, day: dayOf(plan, tables) };
  const asked = sets[section.key]?.set.questions ?? [];
  return {
    ...{ section: section.key, sheets: plan.table, asked: section.questions.table, picks, wish },
    ...{ answers: section.questions.answers.table, codes: section.questions.answers.code },
    filterShown,
    counted: await countAnswers(db, tables, plan, section, asked, wish),
  };
}

/** The column that says when a sheet was filled in: the first date that the form fills. */
function dayOf(plan: Plan, tables: House): string | null {
  const table = tableFrom(tables.whole, plan.table);
  for (const { savesTo } of fieldsOf(plan)) {
    const column = savesTo === null ? undefined : columnOf(table, savesTo);
    if (column?.type.kind === 'date') return column.key;
  }
  return null;
}

async function picksOf(
  db: Database,
  tables: House,
  plan: Plan,
  section: AskingSection,
  address: URLSearchParams,
): Promise<Pick[]> {
  const table = tableFrom(tables.whole, plan.table);
  const picks: Pick[] = [];
  for (const key of askedBy(section)) {
    const field = fieldsOf(plan).find((one) => one.key === key);
    const column = field?.savesTo ? columnOf(table, field.savesTo) : undefined;
    if (!field || !column) continue;
    const query = new TableQuery(db, tables, table);
    const { sql, type } = query.column(column.key);
    const found = await rowsOf(
      db.knex,
      `select ${sql} as value, count(*) as n ${query.from()} where ${sql} is not null group by 1 order by 2 desc limit ${mostValues}`,
      [],
    );
    const values = found.map(({ value, n }) => ({
      value: fromDatabase(type, value) as Scalar,
      sheets: Number(n),
    }));
    const to = type.kind === 'reference' ? tables.get(type.table) : undefined;
    const ids = values.flatMap(({ value }) => (typeof value === 'number' ? [value] : []));
    const lines = to ? await shownRecords(db, db.knex, tables, to, ids) : new Map<number, string>();
    const told = values.map(({ value, sheets }) => ({
      ...{ value, sheets },
      label: lines.get(Number(value)) ?? formatValue(type, value, reader()),
    }));
    const text = address.get(key);
    const said = text === null ? null : parseText(type, text, column.label, isoReading);
    const wanted = said && 'value' in said ? said.value : null;
    const value = told.find((one) => one.value === wanted)?.value ?? told[0]?.value ?? null;
    picks.push({ field: key, label: field.label, value, values: told });
  }
  return picks;
}
