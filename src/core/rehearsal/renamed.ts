import type { OpenedRecord } from '../entry/stored';
import type { WiredForm } from '../wiring/form';
import type { WiredField } from '../wiring/wired';
import { askerIn, askerOf, saidBy } from './heard';
import { placeIn, type Json, type Rehearsal } from './rehearsal';

/** A form before and after something in it got another name, and the names of tables and columns that it writes. */
export interface Renamed {
  /** The same fields in the same order, wired under the names before and after. */
  was: WiredForm;
  is: WiredForm;
  table: (key: string) => string;
  column: (table: string, key: string) => string;
}

/** Tables and columns that are called as before. */
export const sameNames: Pick<Renamed, 'table' | 'column'> = {
  table: (key) => key,
  column: (_, key) => key,
};

/**
 * A rehearsal as it would have been recorded under the names that things have now: what was done, what was answered
 * and what is expected stay as they are. What names nothing in the form before stays as it is.
 */
export function renamedRehearsal(rehearsal: Rehearsal, renamed: Renamed): Rehearsal {
  const place = (at: string) => placeNow(renamed, at);
  const { begins, link } = rehearsal;
  return {
    ...rehearsal,
    begins: begins && beginningNow(renamed, begins),
    link: renamedKeys(link, (key) => {
      const [, column] = /^with\.(.+)$/.exec(key) ?? [];
      return column === undefined ? key : `with.${renamed.column(renamed.was.plan.table, column)}`;
    }),
    steps: rehearsal.steps.map((step) => ('at' in step ? { ...step, at: place(step.at) } : step)),
    expects: rehearsal.expects.map((one) =>
      one.of === 'write'
        ? { ...one, is: writtenNow(renamed, one.is) }
        : { ...one, at: place(one.at) },
    ),
    follows: rehearsal.follows.map((changes) => renamedKeys(changes, place)),
    ...heardNow(renamed, rehearsal),
  };
}

/** What a field of the form before is called now. */
function fieldNow({ was, is }: Renamed, scope: string, key: string): WiredField | undefined {
  const before = was.scopes.get(scope)?.fields.get(key);
  return before && is.scopes.get(scope)?.list[before.index];
}

const keyNow = (renamed: Renamed, scope: string, key: string) =>
  fieldNow(renamed, scope, key)?.field.key ?? key;

function placeNow(renamed: Renamed, at: string): string {
  const { grid, row, field } = placeIn(at);
  if (field === null) return at;
  const key = keyNow(renamed, grid ?? '', field);
  return grid === null ? key : `${grid}[${row}].${key}`;
}

function beginningNow(renamed: Renamed, begins: OpenedRecord): OpenedRecord {
  const one = <T extends Pick<OpenedRecord, 'stored' | 'values'>>(scope: string, opened: T): T => {
    const table = renamed.was.scopes.get(scope)?.table ?? '';
    const values = renamedKeys(opened.stored.values, (key) => renamed.column(table, key));
    return {
      ...opened,
      stored: { ...opened.stored, values, ...answersNow(renamed, opened.stored) },
      values: renamedKeys(opened.values, (key) => keyNow(renamed, scope, key)),
    };
  };
  const rows = Object.entries(begins.rows).map(([grid, list]) => [
    grid,
    list.map((row) => one(grid, row)),
  ]);
  return { ...one('', begins), rows: Object.fromEntries(rows) as OpenedRecord['rows'] };
}

/** The rows that hold the answers of a sheet. */
function answersNow(renamed: Renamed, { answers }: OpenedRecord['stored']) {
  if (!answers) return {};
  const all = Object.entries(answers).map(([key, row]) => [
    key,
    { ...row, table: renamed.table(row.table) },
  ]);
  return { answers: Object.fromEntries(all) as typeof answers };
}

/** What is written; see `expectationSchema`. */
function writtenNow(renamed: Renamed, is: Json): Json {
  const written = is as { action: string; table: string; values: Record<string, Json> };
  const values = renamedKeys(written.values, (key) => renamed.column(written.table, key));
  const sorted = Object.entries(values).sort(([a], [b]) => (a < b ? -1 : 1));
  return { ...written, table: renamed.table(written.table), values: Object.fromEntries(sorted) };
}

/** What was answered, under the names by which it would be asked now; how it is asked is another word for the same. */
function heardNow(
  renamed: Renamed,
  { heard, sources }: Pick<Rehearsal, 'heard' | 'sources'>,
): Pick<Rehearsal, 'heard' | 'sources'> {
  const now = (of: string) => {
    const asker = askerIn(of);
    const before = renamed.was.scopes.get(asker.grid)?.fields.get(asker.field);
    const after = fieldNow(renamed, asker.grid, asker.field);
    return before && after ? { before, after, asker } : null;
  };
  return {
    heard: heard.map((one) => {
      const found = now(one.of);
      if (!found) return one;
      const { before, after, asker } = found;
      const given = renamedKeys(one.given, (name) =>
        zipped(before.narrowedBy, after.narrowedBy, name),
      );
      const of = askerOf({ ...asker, field: after.field.key });
      if (!('record' in one.answer) || !one.answer.record) return { ...one, of, given };
      const [paths, next] = [[...before.columns.keys()], [...after.columns.keys()]];
      const record = renamedKeys(one.answer.record, (path) => zipped(paths, next, path));
      return { ...one, of, given, answer: { ...one.answer, record } };
    }),
    sources: Object.fromEntries(
      Object.entries(sources).map(([of, said]) => {
        const found = now(of);
        if (!found) return [of, said];
        const asker = { ...found.asker, field: found.after.field.key };
        // Where it asks otherwise than when it was recorded, that is to be seen as before.
        const same = said === saidBy(renamed.was, found.asker);
        return [askerOf(asker), same ? saidBy(renamed.is, asker) : said];
      }),
    ),
  };
}

/** The name at the same place in a list as it is now. */
function zipped(before: readonly string[], after: readonly string[], name: string): string {
  return after[before.indexOf(name)] ?? name;
}

function renamedKeys<T>(all: Readonly<Record<string, T>>, name: (key: string) => string) {
  return Object.fromEntries(Object.entries(all).map(([key, value]) => [name(key), value]));
}
