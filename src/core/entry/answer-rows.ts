import type { AskedField } from '../plan/asked-set';
import type { Questions } from '../plan/schema';
import { sameValue, type Value, type ValueType } from '../values/types';
import type { Entry } from './entry';
import type { PlannedValue, PlannedWrite } from './planned-write';

/** The columns of a table of answers that take what is answered. */
type Taking = 'text' | 'number' | 'day' | 'yesNo' | 'option' | 'record' | 'files';
const taking: readonly Taking[] = ['text', 'number', 'day', 'yesNo', 'option', 'record', 'files'];

/** Which column of a table of answers an answer is kept in, by what its field holds. */
export function takenBy(
  { question, option }: Pick<AskedField, 'question' | 'option'>,
  type: ValueType,
): Taking {
  if (option !== null || question.kind === 'one_of') return 'option';
  switch (type.kind) {
    case 'whole':
    case 'decimal':
      return 'number';
    case 'date':
      return 'day';
    case 'yes_no':
      return 'yesNo';
    case 'reference':
      return 'record';
    case 'files':
      return 'files';
    default:
      return 'text';
  }
}

/**
 * The rows of answers that saving a sheet would write: one for each answer, and none for what is not answered.
 * Those of questions that the sheet asks no more go.
 */
export function answerWrites(entry: Entry): PlannedWrite[] {
  const { stored } = entry.root;
  const { scopes, plan } = entry.form;
  const fields = (scopes.get('')?.list ?? []).filter(({ field }) => field.asked);
  const known = stored?.answers ?? {};
  if (fields.length === 0 && Object.keys(known).length === 0) return [];
  const places = new Map(
    plan.sections.flatMap(({ key, questions }) => (questions ? [[key, questions.answers]] : [])),
  );
  const writes: PlannedWrite[] = [];
  const standing = new Set<string>();
  for (const { field, type } of fields) {
    const { asked, savesTo: column } = field;
    const answers = asked && places.get(asked.section);
    if (!asked || !answers || column === null) continue;
    standing.add(column);
    const now = entry.value(field.key);
    const row = known[column];
    if (row && sameValue(now, stored?.values[column] ?? null)) continue;
    // A box that is not ticked is no answer.
    const answered = now !== null && !(asked.option !== null && now === false);
    const { table } = answers;
    const path = field.key;
    if (row && !answered) {
      writes.push({ action: 'delete', ...row, values: {}, path });
    } else if (row) {
      const values = valuesOf(answers, asked, takenBy(asked, type), now);
      writes.push({ action: 'update', ...row, values, path });
    } else if (answered) {
      const values: Record<string, PlannedValue> = {
        [answers.sheet]: stored ? stored.id : { madeBy: 0 },
        [answers.code]: asked.question.code,
        ...(answers.question === null ? {} : { [answers.question]: asked.question.id }),
        ...(answers.asked === null ? {} : { [answers.asked]: asked.question.text }),
        ...valuesOf(answers, asked, takenBy(asked, type), now),
      };
      writes.push({ action: 'insert', table, id: null, version: null, values, path });
    }
  }
  return [...writes, ...goneAnswers(entry, standing)];
}

/** An answer in the columns that can take one: its own, and nothing in the others. */
function valuesOf(
  answers: Questions['answers'],
  { option }: AskedField,
  taken: Taking,
  value: Value,
): Record<string, Value> {
  const columns: Record<string, Value> = {};
  for (const kind of taking) {
    const column = answers[kind];
    if (column !== null) columns[column] ??= null;
  }
  const column = answers[taken] ?? answers.text;
  const written = option ?? value;
  // A record is kept by its number also where only text takes it.
  columns[column] = taken === 'record' && answers.record === null ? String(written) : written;
  return columns;
}

/** The rows of answers to questions that are not asked any more. */
function goneAnswers(entry: Entry, standing: ReadonlySet<string>): PlannedWrite[] {
  return Object.entries(entry.root.stored?.answers ?? {}).flatMap(
    ([column, row]): PlannedWrite[] =>
      standing.has(column) ? [] : [{ action: 'delete', ...row, values: {}, path: '' }],
  );
}
