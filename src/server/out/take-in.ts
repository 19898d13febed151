import type { Knex } from 'knex';
import { randomUUID } from 'node:crypto';
import type { TakenIn } from '$lib/core/contract/answers';
import {
  dataPath,
  housePartSchema,
  housePath,
  packageSchema,
  packedColumns,
  tableFromSchema,
  unpacked,
  type DescribedTable,
  type HousePart,
  type PackageResource,
  type PackageSchema,
} from '$lib/core/formats/data-package';
import { fail, problem, ProblemError, type Problem } from '$lib/core/problems';
import { mustBeGiven, type Column, type Table } from '$lib/core/table/definition';
import { checkValue, parseText } from '$lib/core/values/parse';
import { isoReading } from '$lib/core/values/reading';
import { isLink, longestText, type Value } from '$lib/core/values/types';
import type { Database } from '../database/connection';
import { tableSql } from '../database/ddl';
import { rowsOf } from '../database/rows';
import { draftForms, listForms, makeForm } from '../catalog/forms';
import { wantedIndexes } from '$lib/core/plan/indexes';
import { keepRehearsal } from '../catalog/rehearsals';
import { listFrom, makeList } from '../catalog/lists';
import { retypeColumn } from '../catalog/retype';
import {
  addTableColumn,
  ensureIndexes,
  loadTables,
  makeTable,
  relabelTable,
  tableFrom,
} from '../catalog/tables';
import { comingIn, type NotePart } from './coming-in';
import { outsideClashes, takeOutside } from './outside-part';
import { journalRows } from '../records/journal';
import { insertRecords } from '../records/statements';
import { openCsv } from '../records/csv-file';
import { inLoad, inTransaction } from '../database/transaction';
import { renamedFiles, takeFilesIn } from './package-files';
import { receiveZip, type ReceivedZip } from '../zip-file';

/** Who brings it in, and what notes each part before it is made. */
interface Taking {
  by: string;
  note: NotePart;
}

const together = 500;
const mostTold = 50;

/**
 * Brings a Data Package in, beside what is there: all of it or nothing. One of ours comes back as it was; of one of
 * others its tables, keys and references come, and forms for all of them where that is wished.
 */
export async function takePackageIn(
  db: Database,
  body: ReadableStream<Uint8Array>,
  /** `outside`: whether whoever brings it in may make connections. */
  { drafts, by, outside = true }: { drafts: boolean; by: string; outside?: boolean },
): Promise<TakenIn> {
  const zip = await receiveZip(body);
  try {
    if (!zip.has('datapackage.json')) fail('package_file_missing', { name: 'datapackage.json' });
    const described = parsed(packageSchema.safeParse(await zip.json('datapackage.json')));
    const part = zip.has(housePath)
      ? parsed(housePartSchema.safeParse(await zip.json(housePath)))
      : null;
    if (part && !outside && part.connections.length + part.queries.length > 0) {
      fail('not_allowed', {}, 403);
    }
    return await comingIn(db, by, (note) =>
      part
        ? takeHouse(db, zip, part, { by, note })
        : takeOthers(db, zip, described.resources, { drafts, by, note }),
    );
  } finally {
    await zip.end();
  }
}

function parsed<T>(
  found:
    | { success: true; data: T }
    | { success: false; error: { issues: readonly { path: PropertyKey[]; message: string }[] } },
): T {
  if (found.success) return found.data;
  const [first] = found.error.issues;
  return fail('package_wrong', {
    reason: `${first?.path.map(String).join('.') || 'the whole'}: ${first?.message ?? ''}`,
  });
}

/** What of a house stands in the way of what comes. */
async function refuseClashes(db: Database, part: HousePart): Promise<void> {
  const tables = await loadTables(db);
  const forms = new Set((await listForms(db)).map(({ key }) => key));
  const clashes = [
    ...part.tables.filter(({ key }) => tables.has(key)).map(({ title }) => title),
    ...part.forms.filter(({ key }) => forms.has(key)).map(({ draft }) => draft.title),
    ...part.lists
      .filter((list) => {
        const there = tables.lists.get(list.key);
        return there && JSON.stringify(there) !== JSON.stringify(list);
      })
      .map(({ title }) => title),
    ...(await outsideClashes(db, part)),
  ];
  if (clashes.length > 0) fail('package_clashes', { what: clashes.slice(0, 20).join(', ') }, 409);
}

async function takeHouse(
  db: Database,
  zip: ReceivedZip,
  part: HousePart,
  { by, note }: Taking,
): Promise<TakenIn> {
  await refuseClashes(db, part);
  await takeLists(db, part, { by, note });
  await takeOutside(db, part, { by, note });
  for (const { table, later } of makingOrder(part.tables)) {
    await note('table', table.key);
    const now = table.columns.filter((column) => !later.includes(column));
    const first = now[0]?.key ?? '';
    const display = table.display.filter((key) => now.some((column) => column.key === key));
    const bare = {
      ...table,
      columns: now,
      views: [],
      display: display.length > 0 ? display : [first],
    };
    await makeTable(db, bare, by);
  }
  for (const { table, later } of makingOrder(part.tables)) {
    for (const column of later) await addTableColumn(db, table.key, column, by);
  }
  for (const table of part.tables) {
    const order = table.columns.map(({ key }) => key);
    const views = { keeps: table.views ?? [] };
    await relabelTable(db, table.key, { display: table.display, order, views }, by);
  }
  const files = await takeFilesIn(db, zip, by);
  const rows = await inLoad(db, async (trx) => {
    const counts = new Map<string, number>();
    for (const table of part.tables)
      counts.set(table.key, await loadOwn(db, trx, { zip, files }, table, by));
    for (const table of part.tables) await refuseDangling(db, trx, table);
    return counts;
  });
  const forms = await takeForms(db, part, { by, note });
  return {
    tables: part.tables.map(({ key, title }) => ({ key, title, rows: rows.get(key) ?? 0 })),
    forms,
  };
}

async function takeLists(db: Database, part: HousePart, { by, note }: Taking): Promise<void> {
  const there = (await loadTables(db)).lists;
  const left = part.lists.filter(({ key }) => !there.has(key));
  for (let round = 0; left.length > 0 && round <= part.lists.length; round++) {
    for (const list of [...left]) {
      if (list.of !== null && left.some(({ key }) => key === list.of)) continue;
      await note('list', list.key);
      await makeList(db, list, by);
      left.splice(left.indexOf(list), 1);
    }
  }
  for (const { key } of part.lists) await listFrom(db, key);
}

/** Tables so that each comes after those to which it refers; what goes round in a circle is added afterwards. */
function makingOrder(tables: readonly Table[]): { table: Table; later: Column[] }[] {
  const order: { table: Table; later: Column[] }[] = [];
  const state = new Map<string, 'open' | 'done'>();
  const byKey = new Map(tables.map((table) => [table.key, table]));
  const visit = (table: Table) => {
    state.set(table.key, 'open');
    const later: Column[] = [];
    for (const column of table.columns) {
      if (!isLink(column.type)) continue;
      // Several references are a table of their own, and refer to both.
      if (column.type.kind === 'references') {
        later.push(column);
        continue;
      }
      const to = byKey.get(column.type.table);
      if (!to || to === table) continue;
      if (!state.has(to.key)) visit(to);
      else if (state.get(to.key) === 'open') later.push(column);
    }
    state.set(table.key, 'done');
    // The other side of links comes after the links themselves.
    const own = (c: Column) => (c.type.kind === 'references' && c.type.mirrors !== null ? 1 : 0);
    order.push({ table, later: later.sort((a, b) => own(a) - own(b)) });
  };
  for (const table of tables) if (!state.has(table.key)) visit(table);
  return order;
}

async function loadOwn(
  db: Database,
  trx: Knex.Transaction,
  { zip, files }: { zip: ReceivedZip; files: ReadonlyMap<string, string> },
  table: Table,
  by: string,
): Promise<number> {
  const columns = packedColumns(table);
  const all = ['id', ...columns.map(({ key }) => key)];
  const file = await openCsv(await zip.open(dataPath(table)), ',');
  if (file.header.join() !== all.join()) {
    return fail('package_heads', { name: dataPath(table), heads: all.join(', ') });
  }
  return load(db, trx, table, by, file, (cells) => {
    const id = Number(cells[0]);
    const problems: Problem[] =
      Number.isSafeInteger(id) && id > 0 ? [] : [problem('package_id', { given: cells[0] ?? '' })];
    const values: Record<string, Value> = {};
    columns.forEach((column, i) => {
      const given = renamedFiles(column, unpacked(column.type, cells[i + 1] ?? ''), files);
      const checked = checkValue(column.type, given, column.label);
      if ('problem' in checked) problems.push(checked.problem);
      else values[column.key] = checked.value;
    });
    return { id, values, problems };
  });
}

interface ReadRow {
  id?: number;
  values: Record<string, Value>;
  problems: Problem[];
}

/** Loads the rows of a file; what is wrong with them is told with its lines, and nothing stays. */
async function load(
  db: Database,
  trx: Knex.Transaction,
  table: Table,
  by: string,
  file: Awaited<ReturnType<typeof openCsv>>,
  read: (cells: readonly string[]) => ReadRow,
): Promise<number> {
  const found: Problem[] = [];
  let count = 0;
  const note = (problems: readonly Problem[], line: number) => {
    for (const one of problems) {
      if (found.length >= mostTold) return;
      const words = problem('package_row', { table: table.title, line, what: one.message });
      found.push({ ...words, hint: one.hint });
    }
  };
  for await (const batch of file.rows) {
    const rows = batch.map(({ cells, line }) => {
      const row = read(cells);
      const missing = table.columns.filter(
        (column) => mustBeGiven(column) && (row.values[column.key] ?? null) === null,
      );
      const lacking = missing.map(({ label }) => problem('required', { label }));
      note([...row.problems, ...lacking], line);
      return row;
    });
    if (found.length > 0) continue;
    for (let i = 0; i < rows.length; i += together) {
      const part = rows.slice(i, i + together).map(({ id, values }) => ({
        ...{ values, pathOf: () => '' },
        ...(id === undefined ? {} : { id }),
      }));
      await insertRecords(db, trx, table, part, by);
    }
    count += rows.length;
  }
  if (found.length > 0) throw new ProblemError(found);
  const head = { submission: randomUUID(), kind: 'import' as const, by };
  if (count > 0) await journalRows(db, trx, head, table.key, count);
  return count;
}

/** Fails where a reference names nobody. */
async function refuseDangling(db: Database, trx: Knex.Transaction, table: Table): Promise<void> {
  for (const { key, label, type } of table.columns) {
    if (type.kind !== 'reference') continue;
    const sql = `select r.\`${key}\` as id, count(*) as n from ${tableSql(db, table.key)} r
      left join ${tableSql(db, type.table)} o on o.id = r.\`${key}\`
      where r.\`${key}\` is not null and o.id is null group by 1 limit 1`;
    const [row] = await rowsOf(trx, sql);
    if (row) fail('package_dangling', { table: table.title, label, given: String(row.id) });
  }
}

async function takeForms(
  db: Database,
  part: HousePart,
  { by, note }: Taking,
): Promise<TakenIn['forms']> {
  for (const { key, draft, editions, rehearsals = [] } of part.forms) {
    await note('form', key);
    const head = await makeForm(db, { table: draft.table, key, plan: draft }, by);
    for (const one of rehearsals) await keepRehearsal(db, head.id, one, by);
    const newest = editions.at(-1);
    if (!newest) continue;
    await inTransaction(db, async (trx) => {
      const rows = editions.map(({ number, plan, by: who }) => ({
        ...{ form_id: head.id, number, plan: JSON.stringify(plan), published_by: who },
      }));
      await trx('edition').withSchema(db.catalog).insert(rows);
      const same = JSON.stringify(newest.plan) === JSON.stringify(draft);
      await trx('form')
        .withSchema(db.catalog)
        .where({ id: head.id })
        .update({ newest_edition: newest.number, published_revision: same ? 1 : 0 });
    });
    await ensureIndexes(db, wantedIndexes(newest.plan, await loadTables(db)), by);
  }
  return part.forms.map(({ key, draft }) => ({ key, title: draft.title }));
}

/** A package of others: its tables as plain columns first, then what refers to what. */
async function takeOthers(
  db: Database,
  zip: ReceivedZip,
  resources: readonly PackageResource[],
  { drafts, by, note }: Taking & { drafts: boolean },
): Promise<TakenIn> {
  const taken = new Set((await loadTables(db)).keys());
  const all: (DescribedTable & { resource: PackageResource; schema: PackageSchema })[] = [];
  for (const resource of resources) {
    const schema = await schemaOf(zip, resource);
    if (!schema) continue;
    const described = tableFromSchema(resource, schema, taken, await longTexts(zip, resource));
    taken.add(described.table.key);
    all.push({ ...described, resource, schema });
  }
  if (all.length === 0) return fail('package_no_tables');
  const counts: number[] = [];
  for (const { table } of all) {
    await note('table', table.key);
    await makeTable(db, table, by);
  }
  await inLoad(db, async (trx) => {
    for (const one of all) counts.push(await loadOthers(db, trx, zip, one, by));
  });
  for (const one of all) await refer(db, one, all, by);
  const wished = drafts ? all.map(({ table }) => table) : [];
  const forms = await draftForms(db, wished, by);
  const tables = all.map(({ table: { key, title } }, i) => ({
    key,
    title,
    rows: counts[i] ?? 0,
  }));
  return { tables, forms };
}

/** The fields of a resource in which a value is longer than a short text holds. */
async function longTexts(
  zip: ReceivedZip,
  { path, dialect }: PackageResource,
): Promise<Set<string>> {
  const long = new Set<string>();
  for (const name of [path ?? []].flat()) {
    const file = await openCsv(await zip.open(name), dialect?.delimiter ?? ',');
    for await (const batch of file.rows) {
      for (const { cells } of batch) {
        cells.forEach((cell, i) => cell.length > longestText && long.add(file.header[i] ?? ''));
      }
    }
  }
  return long;
}

/** The schema of a resource that is a table; it may stand in a file of its own. */
async function schemaOf(
  zip: ReceivedZip,
  { schema, path, name }: PackageResource,
): Promise<PackageSchema | null> {
  if (schema === undefined || path === undefined) return null;
  if (typeof schema !== 'string') return schema;
  if (!zip.has(schema)) return fail('package_file_missing', { name: schema });
  const whole = { name, schema: await zip.json(schema) };
  const read = parsed(packageSchema.shape.resources.element.safeParse(whole)).schema;
  return typeof read === 'object' ? read : null;
}

async function loadOthers(
  db: Database,
  trx: Knex.Transaction,
  zip: ReceivedZip,
  {
    table,
    fields,
    schema,
    resource,
  }: DescribedTable & { resource: PackageResource; schema: PackageSchema },
  by: string,
): Promise<number> {
  const missing = new Set(schema.missingValues ?? ['']);
  let count = 0;
  for (const path of [resource.path ?? []].flat()) {
    const file = await openCsv(await zip.open(path), resource.dialect?.delimiter ?? ',');
    const places = fields.map((field) => file.header.indexOf(field));
    const lost = fields.find((_, i) => places[i] === -1);
    if (lost !== undefined) return fail('package_heads', { name: path, heads: lost });
    count += await load(db, trx, table, by, file, (cells) => {
      const values: Record<string, Value> = {};
      const problems: Problem[] = [];
      table.columns.forEach((column, i) => {
        const given = cells[places[i] ?? -1] ?? '';
        const text = missing.has(given) ? '' : meantText(schema.fields[i], given);
        const read = parseText(column.type, text, column.label, isoReading);
        if ('problem' in read) problems.push(read.problem);
        else values[column.key] = read.value;
      });
      return { values, problems };
    });
  }
  return count;
}

/** What a cell means where a schema has its own words for yes and no. */
function meantText(field: PackageSchema['fields'][number] | undefined, given: string): string {
  if (field?.type !== 'boolean') return given;
  if ((field.trueValues ?? ['true', 'True', 'TRUE', '1']).includes(given)) return 'true';
  return (field.falseValues ?? ['false', 'False', 'FALSE', '0']).includes(given) ? 'false' : given;
}

/** Turns the columns that refer to others into references. */
async function refer(
  db: Database,
  { table, references }: DescribedTable,
  all: readonly (DescribedTable & { resource: PackageResource })[],
  by: string,
): Promise<void> {
  for (const { column, resource, field } of references) {
    const to = all.find((one) => one.resource.name === resource);
    const key = to?.table.columns[to.fields.indexOf(field)]?.key;
    const own = tableFrom(await loadTables(db), table.key).columns.find((c) => c.key === column);
    if (!to || key === undefined || !own) {
      return fail('package_reference', { table: table.title, column, resource });
    }
    await retypeColumn(
      db,
      table.key,
      column,
      {
        ...{ type: { kind: 'reference', table: to.table.key }, by: key },
        ...{ required: own.required, unique: own.unique, corrections: {}, empties: false },
      },
      by,
    );
  }
}
