import { asks, type AskingSection } from '$lib/core/plan/asked-plan';
import type { QuestionKind } from '$lib/core/plan/asked-set';
import type { Plan, Questions } from '$lib/core/plan/schema';
import { fail } from '$lib/core/problems';
import { columnOf, type House, type Table } from '$lib/core/table/definition';
import { formatValue } from '$lib/core/values/format';
import type { Scalar } from '$lib/core/values/types';
import { reader } from '$lib/core/words/reader';
import { readQuestions, type QuestionFault, type QuestionRow } from '$lib/core/wiring/questions';
import { formsNaming, type NamingForm } from '../catalog/plan-uses';
import { tableFrom } from '../catalog/tables';
import type { Database } from '../database/connection';
import { tableSql } from '../database/ddl';
import { rowsOf } from '../database/rows';
import { mostAsked, readQuestionRows } from './questions';
import { shownRecords } from './read';

/** A form that asks the rows of a table. */
export interface AskingForm {
  key: string;
  title: string;
  plan: Plan;
  section: AskingSection;
}

/** The published forms that ask the rows of a table. */
export async function askingForms(db: Database, table: string): Promise<AskingForm[]> {
  return askingAmong(await formsNaming(db, { kind: 'table', name: table }), table);
}

/** Those of some forms that ask the rows of a table. */
export function askingAmong(naming: readonly NamingForm[], table: string): AskingForm[] {
  return naming.flatMap(({ form: { key, title }, plans }) => {
    const plan = plans.find(({ which }) => which === 'edition')?.plan;
    const section = plan?.sections.filter(asks).find(({ questions }) => questions.table === table);
    return plan && section ? [{ key, title, plan, section }] : [];
  });
}

/** Rows that are asked together: those under one value of the column that tells them apart. */
export interface AskedTogether {
  value: Scalar;
  label: string;
  questions: number;
  points: string;
}

/** The questions of a form, as a page shows them beside their rows. */
export interface LookedOver {
  /** The column that tells sets apart; `null` where there is one set only. */
  by: string | null;
  order: string | null;
  /** The field of the form that picks a set. */
  field: string | null;
  columns: Questions['columns'];
  sets: AskedTogether[];
  /** What is wrong, row by row. */
  faults: QuestionFault[];
  /** Rows of another kind than answers that they have got already. */
  unlike: { row: number; answers: number }[];
}

/** Looks over all rows that a form asks. */
export async function lookOverQuestions(
  db: Database,
  tables: House,
  form: AskingForm,
): Promise<LookedOver> {
  const { plan, section } = form;
  const { columns, narrowings } = section.questions;
  const table = tableFrom(tables, section.questions.table);
  const narrowing = narrowings.find(({ operator }) => operator === 'equal');
  const by = columnOf(table, narrowing?.path ?? '') ?? null;
  const more = by ? [by.key] : [];
  const rows = await readQuestionRows(db, tables, section.questions, null, more);
  if (rows.length > mostAsked) fail('questions_too_many', { most: mostAsked });
  const together = new Map<Scalar, QuestionRow[]>();
  for (const row of rows) {
    const value = by ? ((row.values[by.key] ?? null) as Scalar) : null;
    together.set(value, [...(together.get(value) ?? []), row]);
  }
  const read = [...together].map(([value, own]) => ({
    value,
    ...readQuestions(plan, section, own, tables),
  }));
  const labels = await labelsOf(db, tables, table, by?.key ?? null, [...together.keys()]);
  return {
    ...{ by: by?.key ?? null, field: by && (narrowing?.field ?? null) },
    ...{ order: columns.order, columns },
    sets: read.map(({ value, questions }) => ({
      value,
      label: labels.get(value) ?? '',
      questions: questions.length,
      points: String(questions.reduce((sum, { points }) => sum + Number(points ?? 0), 0)),
    })),
    faults: read.flatMap(({ faults }) => faults),
    unlike: await unlikeAnswers(
      db,
      section.questions.answers,
      read.flatMap(({ questions }) => questions),
    ),
  };
}

/** How the values that tell sets apart are shown. */
async function labelsOf(
  db: Database,
  tables: House,
  table: Table,
  by: string | null,
  values: readonly Scalar[],
): Promise<Map<Scalar, string>> {
  const type = by === null ? undefined : columnOf(table, by)?.type;
  if (!type) return new Map();
  if (type.kind !== 'reference') {
    return new Map(values.map((value) => [value, formatValue(type, value, reader())]));
  }
  const to = tableFrom(tables, type.table);
  const ids = values.filter((value) => value !== null).map(Number);
  const lines = await shownRecords(db, db.knex, tables, to, ids);
  return new Map(values.map((value) => [value, lines.get(Number(value)) ?? '']));
}

/** In which column of answers a kind of question keeps what was answered. */
const keptIn: Record<
  QuestionKind,
  'text' | 'number' | 'day' | 'yesNo' | 'option' | 'record' | 'files'
> = {
  short_text: 'text',
  long_text: 'text',
  time: 'text',
  whole_number: 'number',
  decimal: 'number',
  rating: 'number',
  yes_no: 'yesNo',
  date: 'day',
  one_of: 'option',
  several_of: 'option',
  record: 'record',
  file: 'files',
};

/** Questions whose answers so far stand in another column than theirs would now. */
async function unlikeAnswers(
  db: Database,
  answers: Questions['answers'],
  questions: readonly { id: number; kind: QuestionKind }[],
): Promise<LookedOver['unlike']> {
  if (answers.question === null || questions.length === 0) return [];
  const parts = [...new Set(Object.values(keptIn))];
  const counted = parts.map((part) => {
    const column = answers[part];
    return column === null ? `0 as \`${part}\`` : `count(\`${column}\`) as \`${part}\``;
  });
  const sql = `select \`${answers.question}\` as id, ${counted.join(', ')}
    from ${tableSql(db, answers.table)} where \`${answers.question}\` is not null group by 1`;
  const found = new Map((await rowsOf(db.knex, sql)).map((row) => [Number(row.id), row]));
  return questions.flatMap(({ id, kind }) => {
    const row = found.get(id);
    const others = parts.filter((part) => part !== keptIn[kind]);
    const unlike = others.reduce((sum, part) => sum + Number(row?.[part] ?? 0), 0);
    return unlike > 0 ? [{ row: id, answers: unlike }] : [];
  });
}
