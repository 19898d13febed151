import { ProblemError, problem, type Problem } from '$lib/core/problems';
import type { Table } from '$lib/core/table/definition';
import {
  idsOfFile,
  largestSmall,
  misfitsIn,
  shownPictures,
  type KeptFile,
} from '$lib/core/values/files';
import { filesIn, type Value } from '$lib/core/values/types';
import type { Database, Runner } from '../database/connection';
import { knownFiles, type KnownFile } from './known';

/** A record that is written: its values, and where its problems belong. */
interface Written {
  values: Readonly<Record<string, Value>>;
  pathOf: (column: string) => string;
}

/** A file of a value, with its column. */
interface Named {
  file: KeptFile;
  key: string;
  label: string;
  path: string;
}

/**
 * Notes that files stand in records that are written in this transaction. Fails where one is not there, is
 * other than it says, or belongs to no record yet and was handed in by somebody else; or where one that is new
 * in its column is none that the column takes.
 */
export async function keepFiles(
  db: Database,
  runner: Runner,
  table: Table,
  records: readonly Written[],
  by: string,
): Promise<void> {
  const columns = table.columns.filter(({ type }) => type.kind === 'files');
  const named = columns.flatMap(({ key, label }) =>
    records.flatMap(({ values, pathOf }) =>
      filesIn(values[key] ?? null).map((file): Named => ({ file, key, label, path: pathOf(key) })),
    ),
  );
  if (named.length === 0) return;
  const ids = [...new Set(named.flatMap(({ file }) => idsOfFile(file)))];
  const known = await knownFiles(db, runner, ids);
  const uses = runner('file_use').withSchema(db.catalog);
  const rowsNow = (await uses
    .clone()
    .whereIn('file', ids)
    .select('file', 'table_key', 'column_key')) as Record<string, unknown>[];
  const used = new Set(rowsNow.map((row) => String(row.file)));
  const stands = new Set(rowsNow.map((row) => placeOf(row.file, row.table_key, row.column_key)));
  const may = (id: string) => used.has(id) || known.get(id)?.handedBy === by;
  const problems = named.flatMap((one) => problemOf(one, known, may) ?? []);
  for (const { key, label, type } of columns) {
    if (type.kind !== 'files') continue;
    const isNew = ({ file }: KeptFile) => !stands.has(placeOf(file, table.key, key));
    for (const { values, pathOf } of records) {
      const misfit = misfitsIn(type, label, filesIn(values[key] ?? null), isNew);
      if (misfit) problems.push({ ...misfit, path: pathOf(key) });
    }
  }
  if (problems.length > 0) throw new ProblemError(problems);
  const rows = named.flatMap(({ file, key }) =>
    idsOfFile(file).map((id) => ({ file: id, table_key: table.key, column_key: key })),
  );
  await uses.clone().insert(rows).onConflict().ignore();
}

const placeOf = (...names: unknown[]) => names.map(String).join(' ');

function problemOf(
  { file, label, path }: Named,
  known: ReadonlyMap<string, KnownFile>,
  may: (id: string) => boolean,
): Problem | null {
  const own = known.get(file.file);
  const small = file.small === null ? undefined : known.get(file.small);
  const isIt = own?.type === file.type && own.size === file.size && may(file.file);
  const smallIs =
    file.small === null ||
    (small !== undefined &&
      shownPictures.has(small.type ?? '') &&
      small.size <= largestSmall &&
      may(file.small));
  return isIt && smallIs ? null : problem('file_unknown', { label, name: file.name }, path);
}
