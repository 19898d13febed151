import { Decimal } from 'decimal.js';

import { askedPlan, asks, defaultScale, keysOf } from '../plan/asked-plan';
import {
  mostQuestions,
  questionKinds,
  type AskedQuestion,
  type AskedSets,
  type QuestionKind,
} from '../plan/asked-set';
import { type Plan, type Questions, type Section } from '../plan/schema';
import { fieldsOf } from '../plan/scopes';
import { problem, type Problem } from '../problems';
import type { House } from '../table/definition';
import { keySchema } from '../values/key';
import { fileKinds, mostFiles, type FileKind } from '../values/files';
import { offeredOptions, type Option, type Value } from '../values/types';
import { wireForm, type WiredForm } from './form';

/** What is wrong with a row of questions; it is left out until it is mended. */
export interface QuestionFault {
  row: number;
  text: string;
  problem: Problem;
}

/** What a section asks, and which rows it leaves out. */
export interface ReadQuestions {
  questions: AskedQuestion[];
  faults: QuestionFault[];
}

/** A row of the table of questions, by column. */
export interface QuestionRow {
  id: number;
  values: Readonly<Record<string, Value>>;
}

/** So many choices stand in one question, and so many can be ticked. */
const mostChoices = 500;
const mostTicks = 50;
/** The longest scale of a rating. */
const longestScale = 20;

/**
 * Reads rows of a table as the questions of a section, in their order. Rows that say nothing that can be asked
 * never break the form: each is told with what is wrong with it.
 */
export function readQuestions(
  plan: Plan,
  section: Section,
  rows: readonly QuestionRow[],
  tables: House,
): ReadQuestions {
  if (!asks(section)) return { questions: [], faults: [] };
  const faults: QuestionFault[] = [];
  const taken = new Set(fieldsOf(plan).map(({ key }) => key));
  const codes = new Set<string>();
  let questions: AskedQuestion[] = [];
  for (const row of rows) {
    const text = textOf(row.values[section.questions.columns.text]);
    const found = questionOf(section.questions, row, tables);
    const own = 'problem' in found ? found.problem : ownProblem(found, { taken, codes });
    if ('problem' in found || own) {
      faults.push({ row: row.id, text, problem: own ?? problem('question_text') });
      continue;
    }
    if (questions.length >= mostQuestions) {
      faults.push({
        row: row.id,
        text,
        problem: problem('question_many', { most: mostQuestions }),
      });
      break;
    }
    for (const key of keysOf(found)) codes.add(key);
    questions.push(found);
  }
  // What is left out may be what another condition reads.
  for (;;) {
    const wrong = wrongConditions(plan, section, questions, tables);
    if (wrong.size === 0) return { questions, faults };
    for (const { id, code, text } of questions) {
      const found = wrong.get(code);
      if (found) faults.push({ row: id, text, problem: found });
    }
    questions = questions.filter(({ code }) => !wrong.has(code));
  }
}

/** The question that a row says, by its columns. */
function questionOf(
  { columns, answers }: Questions,
  { id, values }: QuestionRow,
  tables: House,
): AskedQuestion | { problem: Problem } {
  const said = (column: string | null) => (column === null ? '' : textOf(values[column]));
  const code = said(columns.code);
  if (!keySchema.safeParse(code).success || words.has(code)) {
    return { problem: problem('question_code', { given: code }) };
  }
  const text = said(columns.text);
  if (text === '') return { problem: problem('question_text') };
  const kind = kindOf(said(columns.kind));
  if (kind === null) {
    const kinds = questionKinds.join(', ');
    return { problem: problem('question_kind', { given: said(columns.kind), kinds }) };
  }
  const numbers = { points: columns.points, least: columns.least, greatest: columns.greatest };
  const known: Record<keyof typeof numbers, string | null> = {
    ...{ points: null, least: null, greatest: null },
  };
  for (const name of ['points', 'least', 'greatest'] as const) {
    const given = said(numbers[name]);
    if (given === '') continue;
    const number = numberOf(given);
    if (number === null) return { problem: problem('question_number', { given }) };
    known[name] = number;
  }
  const bounds = boundsOf(kind, known);
  if ('problem' in bounds) return bounds;
  if (kind === 'file' && answers.files === null) return { problem: problem('question_no_files') };
  const chosen = chosenOf(kind, said(columns.choices), tables);
  if ('problem' in chosen) return chosen;
  const required = columns.required !== null && values[columns.required] === true;
  const when = said(columns.when);
  return {
    ...{ id, code, text: text.slice(0, 1000), kind, required },
    ...{ help: said(columns.help).slice(0, 1000), group: said(columns.group).slice(0, 200) },
    ...{ when: when === '' ? null : when, points: known.points, ...bounds },
    ...{ unit: said(columns.unit).slice(0, 40), ...chosen },
  };
}

/** Words that a formula does not take for names. */
const words = new Set(
  'and or not if then else for in return some every satisfies between instance of function true false null parent person record today now link'.split(
    ' ',
  ),
);

function kindOf(said: string): QuestionKind | null {
  const plain = said
    .trim()
    .toLowerCase()
    .replace(/[^a-z]+/g, '_');
  return questionKinds.find((kind) => kind === plain) ?? null;
}

function boundsOf(
  kind: QuestionKind,
  given: { least: string | null; greatest: string | null },
): { least: string | null; greatest: string | null } | { problem: Problem } {
  const rates = kind === 'rating';
  if (kind === 'file') return mostOfFiles(given.greatest);
  if (!rates && kind !== 'whole_number' && kind !== 'decimal')
    return { least: null, greatest: null };
  const least = given.least ?? (rates ? '1' : null);
  const greatest = given.greatest ?? (rates ? defaultScale : null);
  if (least === null || greatest === null) return { least, greatest };
  const span = new Decimal(greatest).minus(least);
  const fits = rates
    ? span.gte(1) && span.lt(longestScale) && span.isInteger() && new Decimal(least).isInteger()
    : span.gte(0);
  return fits ? { least, greatest } : { problem: problem('question_bounds', { least, greatest }) };
}

/** How many files answer a question; one, where nothing is said. */
function mostOfFiles(
  greatest: string | null,
): { least: null; greatest: string | null } | { problem: Problem } {
  const most = Number(greatest ?? 1);
  const fits = Number.isInteger(most) && most >= 1 && most <= mostFiles;
  return fits
    ? { least: null, greatest }
    : { problem: problem('question_files_many', { most: mostFiles }) };
}

/** The kinds of files that answer a question: any, where none is named. */
function fileKindsOf(
  said: string,
): Pick<AskedQuestion, 'options' | 'table'> | { problem: Problem } {
  const named = said
    .split(/[;,\n]/)
    .map((part) => part.trim().toLowerCase())
    .filter((part) => part !== '');
  const unknown = named.find((name) => kindNamed(name) === undefined);
  if (unknown !== undefined) {
    const kinds = fileKinds.join(', ');
    return { problem: problem('question_file_kind', { given: unknown, kinds }) };
  }
  const kinds = [...new Set(named.flatMap((name) => kindNamed(name) ?? []))];
  return { options: kinds.map((kind) => ({ value: kind, label: kind })), table: null };
}

/** A kind of files as a person may write it: `picture`, `Pictures`. */
function kindNamed(name: string): FileKind | undefined {
  return fileKinds.find((kind) => kind === name || `${kind}s` === name);
}

function chosenOf(
  kind: QuestionKind,
  said: string,
  tables: House,
): Pick<AskedQuestion, 'options' | 'table'> | { problem: Problem } {
  if (kind === 'record') {
    const table = [...tables.values()].find(({ key, title }) => key === said || title === said);
    return table
      ? { options: [], table: table.key }
      : { problem: problem('question_table', { given: said }) };
  }
  if (kind === 'file') return fileKindsOf(said);
  if (kind !== 'one_of' && kind !== 'several_of') return { options: [], table: null };
  const list = [...tables.lists.values()].find(({ key, title }) => key === said || title === said);
  const options: Option[] = list
    ? offeredOptions(list.values, null).map(({ value, label }) => ({ value, label }))
    : said
        .split(/[;\n]/)
        .map((part) => part.trim().slice(0, 100))
        .filter((part) => part !== '')
        .map((label) => ({ value: label, label }));
  const twice = options.find(({ value }, i) => options.findIndex((o) => o.value === value) < i);
  if (twice) return { problem: problem('question_choices_twice', { given: twice.label }) };
  if (options.length < 2) return { problem: problem('question_choices') };
  const most = kind === 'several_of' ? mostTicks : mostChoices;
  if (options.length > most) return { problem: problem('question_choices_many', { most }) };
  return { options, table: null };
}

/** What is wrong with a question among the others and the fields of the form. */
function ownProblem(
  question: AskedQuestion,
  { taken, codes }: { taken: ReadonlySet<string>; codes: ReadonlySet<string> },
): Problem | null {
  // What can be ticked is a field of its own for each choice.
  const keys = keysOf(question);
  const twice = keys.find((key) => codes.has(key));
  if (twice !== undefined) return problem('question_code_twice', { given: twice });
  const own = keys.find((key) => taken.has(key));
  return own === undefined ? null : problem('question_code_taken', { given: own });
}

/** The conditions that cannot be used: not a formula of yes or no, of what is not known, or of a later answer. */
function wrongConditions(
  plan: Plan,
  section: Section,
  questions: readonly AskedQuestion[],
  tables: House,
): Map<string, Problem> {
  const wrong = new Map<string, Problem>();
  if (questions.every(({ when }) => when === null)) return wrong;
  const sets: AskedSets = { [section.key]: { given: {}, questions: [...questions] } };
  const form = wireForm(askedPlan(plan, sets), tables);
  for (const { field, use, found } of form.findings) {
    if (use.at === 'shownWhen' && field?.asked) wrong.set(field.asked.question.code, found.problem);
  }
  const order = new Map(questions.map(({ code }, i) => [code, i]));
  for (const { field, use, formula } of form.formulas) {
    if (use.at !== 'shownWhen' || !field?.asked) continue;
    const own = order.get(field.asked.question.code) ?? 0;
    for (const [name = ''] of formula.reads) {
      const read = form.fields.get(name)?.field.asked?.question;
      if (!read || (order.get(read.code) ?? 0) < own) continue;
      wrong.set(field.asked.question.code, problem('question_later', { later: read.text }));
    }
  }
  // A condition that follows from its own answer by way of the form would leave all of it without order.
  if (wrong.size === 0 && form.cycle !== null && !isCircular(plan, tables)) {
    for (const question of questions) {
      if (!readsForm(form, question)) continue;
      wrong.set(question.code, problem('question_later', { later: form.cycle.join(' → ') }));
    }
  }
  return wrong;
}

function isCircular(plan: Plan, tables: House): boolean {
  return wireForm(plan, tables).cycle !== null;
}

/** Whether the condition of a question reads a field of the form that is no question. */
function readsForm(form: WiredForm, { code }: AskedQuestion): boolean {
  return form.formulas.some(
    ({ field, use, formula }) =>
      use.at === 'shownWhen' &&
      field?.asked?.question.code === code &&
      formula.reads.some(([name = '']) => form.fields.get(name)?.field.asked === undefined),
  );
}

function textOf(value: Value | undefined): string {
  return typeof value === 'string' ? value.trim() : typeof value === 'number' ? String(value) : '';
}

function numberOf(text: string): string | null {
  return /^-?\d{1,15}([.,]\d{1,6})?$/.test(text)
    ? new Decimal(text.replace(',', '.')).toFixed()
    : null;
}
