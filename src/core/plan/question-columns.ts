import { say } from '../words/say';
import { keyFrom, type Column, type House, type Table } from '../table/definition';
import { mostFiles, usualLargest } from '../values/files';
import { plainText, type ValueKind, type ValueType } from '../values/types';
import { questionKinds } from './asked-set';
import { questionsSchema, type Plan, type Questions } from './schema';

/** What a column of questions says, with the words by which such columns are known. */
const said: Record<keyof Questions['columns'], readonly string[]> = {
  code: ['code', 'key', 'name'],
  text: ['question', 'text', 'title', 'label', 'asked'],
  kind: ['kind', 'type'],
  required: ['must', 'required', 'mandatory'],
  choices: ['choices', 'options', 'answers'],
  help: ['help', 'hint', 'note'],
  order: ['place', 'order', 'position', 'number'],
  group: ['heading', 'group', 'section', 'chapter'],
  when: ['when', 'condition'],
  points: ['points', 'score'],
  least: ['least', 'min', 'from'],
  greatest: ['greatest', 'max', 'to'],
  unit: ['unit'],
};

/** What a column of answers takes, with the kinds of column that can, and words for it. */
const taken: Record<
  keyof Omit<Questions['answers'], 'table'>,
  { kinds: readonly ValueKind[]; words: readonly string[] }
> = {
  sheet: { kinds: ['reference'], words: ['sheet'] },
  code: { kinds: ['text'], words: ['code'] },
  question: { kinds: ['reference'], words: ['question'] },
  asked: { kinds: ['text', 'long_text'], words: ['asked', 'question'] },
  text: { kinds: ['long_text', 'text'], words: ['words', 'text', 'answer'] },
  number: { kinds: ['decimal'], words: ['amount', 'number'] },
  day: { kinds: ['date'], words: ['day', 'date'] },
  yesNo: { kinds: ['yes_no'], words: ['yes'] },
  option: { kinds: ['text', 'option'], words: ['choice', 'option'] },
  record: { kinds: ['whole'], words: ['record'] },
  files: { kinds: ['files'], words: ['files', 'file'] },
};

/** What takes answers, in order. */
export const takings = Object.keys(taken) as (keyof typeof taken)[];

/** Whether a column can take what answers of a sort are. */
export function canTake(
  plan: Plan,
  asked: string,
  part: keyof typeof taken,
  { type }: Column,
): boolean {
  if (!taken[part].kinds.includes(type.kind)) return false;
  if (type.kind !== 'reference') return true;
  return type.table === (part === 'sheet' ? plan.table : asked);
}

/** The column whose key has one of the words; the words' order counts first. */
function named(columns: readonly Column[], words: readonly string[]): Column | undefined {
  for (const word of words) {
    const found = columns.find(({ key }) => key.split('_').includes(word));
    if (found) return found;
  }
  return undefined;
}

/** The tables in which answers of a form's sheets can be kept. */
export function answerTables(plan: Plan, tables: House): Table[] {
  return [...tables.values()].filter((table) => answersIn(plan, '', table) !== null);
}

/** How answers would be kept in a table; `null` where it has not the columns for it. */
export function answersIn(plan: Plan, asked: string, table: Table): Questions['answers'] | null {
  const used = new Set<string>();
  const found = takings.map((part) => {
    const fitting = table.columns.filter(
      (column) => !used.has(column.key) && canTake(plan, asked, part, column),
    );
    const column = named(fitting, taken[part].words) ?? (isLoose(part) ? undefined : fitting[0]);
    if (column) used.add(column.key);
    return [part, column?.key ?? null];
  });
  const answers = { table: table.key, ...Object.fromEntries(found) } as unknown;
  return questionsSchema.shape.answers.safeParse(answers).data ?? null;
}

/** Whether answers can do without it. */
function isLoose(part: keyof typeof taken): boolean {
  return ['question', 'asked', 'record', 'files'].includes(part);
}

/** How a table of questions would be read: its columns by their names; `null` where it has no code, text or kind. */
export function proposedQuestions(
  plan: Plan,
  tables: House,
  asked: Table,
  before: Questions | null = null,
): Questions | null {
  const columns = Object.fromEntries(
    Object.entries(said).map(([part, words]) => [part, named(asked.columns, words)?.key ?? null]),
  );
  const [first] = answerTables(plan, tables);
  const kept = tables.get(before?.answers.table ?? '') ?? first;
  const answers = kept && answersIn(plan, asked.key, kept);
  const questions = { table: asked.key, columns, answers, points: before?.points ?? null };
  return questionsSchema.safeParse(questions).data ?? null;
}

/** Tables whose rows can be asked. */
export function questionTables(tables: House): Table[] {
  return [...tables.values()].filter(({ columns }) =>
    (['code', 'text', 'kind'] as const).every((part) => named(columns, said[part])),
  );
}

/** A table for the answers to what a form asks, as it would be made. */
export function newAnswerTable(plan: Plan, tables: House, asked: string): Table {
  const column = (key: string, label: string, type: ValueType, required = false): Column => {
    return { key, label, type, required, unique: false };
  };
  const sheet = tables.get(plan.table);
  const title = say(`${sheet?.title ?? plan.title}, answers`);
  return {
    key: keyFrom(`${plan.table} answer`, tables.keys()),
    title,
    display: ['code', 'sheet'],
    indexes: [],
    columns: [
      column('sheet', sheet?.title ?? plan.table, { kind: 'reference', table: plan.table }, true),
      column('question', say('Question'), { kind: 'reference', table: asked }),
      column('code', say('Code'), { ...plainText, length: 48 } as ValueType, true),
      column('asked', say('As it was asked'), plainText),
      column('words', say('Words'), { kind: 'long_text' }),
      column('amount', say('Number'), { kind: 'decimal', precision: 20, scale: 4 }),
      column('day', say('Day'), { kind: 'date' }),
      column('yes', say('Yes or no'), { kind: 'yes_no' }),
      column('choice', say('Choice'), plainText),
      column('record', say('Record'), { kind: 'whole' }),
      column('files', say('Files'), {
        ...{ kind: 'files', kinds: [], largest: usualLargest, most: mostFiles },
      }),
    ],
  };
}

/** A table of questions with every column that can say something, as it would be made. */
export function newQuestionTable(tables: House): Table {
  const column = (key: string, label: string, type: ValueType, required = false): Column => {
    return { key, label, type, required, unique: false };
  };
  const kinds = questionKinds.map((value) => ({ value, label: value.replaceAll('_', ' ') }));
  const number: ValueType = { kind: 'decimal', precision: 12, scale: 2 };
  return {
    key: keyFrom('question', tables.keys()),
    title: say('Question'),
    display: ['question'],
    indexes: [],
    columns: [
      column('place', say('Place'), { kind: 'whole' }),
      column('heading', say('Heading'), plainText),
      column('code', say('Code'), { ...plainText, length: 48 } as ValueType, true),
      column('question', say('Question'), plainText, true),
      column('kind', say('Kind'), { kind: 'option', options: kinds }, true),
      column('must', say('Must be answered'), { kind: 'yes_no' }),
      column('choices', say('Choices'), { kind: 'long_text' }),
      column('help', say('Help'), plainText),
      column('asked_when', say('Asked only when'), plainText),
      column('points', say('Points'), number),
      column('least', say('Least'), number),
      column('greatest', say('Greatest'), number),
      column('unit', say('Unit'), { ...plainText, length: 20 } as ValueType),
    ],
  };
}
