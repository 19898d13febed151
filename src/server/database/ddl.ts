import { createHash } from 'node:crypto';
import type { Knex } from 'knex';
import { isUnique, type Column, type Table, type TableIndex } from '$lib/core/table/definition';
import { longestCode } from '$lib/core/values/code';
import { keptColumns, linkTable, ownLinks } from '$lib/core/table/links';
import { type ValueType } from '$lib/core/values/types';
import type { Database } from './connection';

/** One DDL statement; each can be run again without harm, so that a crash may repeat it. */
export type Statement = string;

/** CREATE TABLE with house columns, unique indexes and foreign keys. */
export function createTable(db: Database, table: Table): Statement {
  const parts = [
    '`id` bigint unsigned not null auto_increment primary key',
    ...keptColumns(table).map((column) => columnSql(db, column)),
    '`row_version` int unsigned not null default 1',
    '`created_at` datetime not null default current_timestamp',
    '`created_by` varchar(100) not null',
    '`updated_at` datetime not null default current_timestamp',
    '`updated_by` varchar(100) not null',
    ...table.columns.flatMap((column) => constraintSql(db, table.key, column)),
  ];
  const options =
    'engine=innodb row_format=dynamic default charset=utf8mb4 collate=utf8mb4_uca1400_ai_ci';
  return `create table if not exists ${tableSql(db, table.key)} (\n  ${parts.join(',\n  ')}\n) ${options}`;
}

/** CREATE TABLE of the links of a column with several references. */
export function createLinks(db: Database, table: string, column: Column): Statement {
  const links = linkTable(table, column);
  if (!links || column.type.kind !== 'references') throw new RangeError('a column without links');
  const side = (name: string, to: string, gone: 'cascade' | 'restrict') => {
    const key = quote(db, foreignKeyName(links.name, name));
    return `constraint ${key} foreign key (${quote(db, name)}) references ${tableSql(db, to)} (\`id\`) on delete ${gone}`;
  };
  const [own, other] = [quote(db, links.own), quote(db, links.other)];
  const parts = [
    `${own} bigint unsigned not null`,
    `${other} bigint unsigned not null`,
    `primary key (${own}, ${other})`,
    `key \`other\` (${other}, ${own})`,
    side(links.own, table, 'cascade'),
    side(links.other, column.type.table, 'restrict'),
  ];
  return `create table if not exists ${tableSql(db, links.name)} (\n  ${parts.join(',\n  ')}\n) engine=innodb`;
}

/**
 * What adds one column: ALTER TABLE with its constraints, for several references the table of their
 * links; `null` where only the catalog changes, for the other side of such links.
 */
export function addColumn(db: Database, table: Table, column: Column): Statement | null {
  if (column.type.kind === 'references') {
    return column.type.mirrors === null ? createLinks(db, table.key, column) : null;
  }
  // Behind the designer's own columns, before the house's stamps.
  const last = quote(db, keptColumns(table).at(-1)?.key ?? 'id');
  const parts = [
    `add column if not exists ${columnSql(db, column)} after ${last}`,
    ...constraintSql(db, table.key, column).map((c) =>
      c.startsWith('unique key')
        ? `add ${c.replace('unique key', 'unique key if not exists')}`
        : `add ${c.replace('foreign key', 'foreign key if not exists')}`,
    ),
  ];
  return `alter table ${tableSql(db, table.key)} ${parts.join(', ')}`;
}

/** ALTER TABLE that gives a column another key, and its keys the names that go with it. */
export function renameColumnSql(db: Database, table: Table, column: Column, to: string): Statement {
  const after = { ...column, key: to };
  const links = linkTable(table.key, column);
  if (links) {
    const name = linkTable(table.key, after)?.name ?? links.name;
    return `rename table if exists ${tableSql(db, links.name)} to ${tableSql(db, name)}`;
  }
  const name = quote(db, column.key);
  const parts = [
    `change column if exists ${name} ${columnSql(db, after)}`,
    // The way back to another type goes by the old name.
    `drop column if exists ${quote(db, spareKey('was', column.key))}`,
  ];
  if (isUnique(column)) {
    const [old, fresh] = [quote(db, uniqueName(column.key)), quote(db, uniqueName(to))];
    parts.push(`rename index if exists ${old} to ${fresh}`);
  }
  for (const index of table.indexes.filter((i) => i.columns.includes(column.key))) {
    const renamed = { ...index, columns: index.columns.map((c) => (c === column.key ? to : c)) };
    const [old, fresh] = [quote(db, indexName(index)), quote(db, indexName(renamed))];
    parts.push(`rename index if exists ${old} to ${fresh}`);
  }
  if (column.type.kind === 'reference') {
    parts.unshift(dropForeignKey(db, table.key, column.key));
    parts.push(...addForeignKeys(db, table.key, [after]));
  }
  return `alter table ${tableSql(db, table.key)} ${parts.join(', ')}`;
}

/** RENAME TABLE; foreign keys of other tables follow. */
export function renameTableSql(db: Database, from: string, to: string): Statement {
  return `rename table if exists ${tableSql(db, from)} to ${tableSql(db, to)}`;
}

/**
 * ALTER TABLE that names a table's foreign keys after the table as it is called now. It cannot be part
 * of the renaming: other tables would go on referring to the old name.
 */
export function renameForeignKeys(db: Database, table: Table, from: string): Statement | null {
  const references = table.columns.filter((column) => column.type.kind === 'reference');
  if (references.length === 0) return null;
  const parts = [
    ...references.map((column) => dropForeignKey(db, from, column.key)),
    ...addForeignKeys(db, table.key, references),
  ];
  return `alter table ${tableSql(db, table.key)} ${parts.join(', ')}`;
}

/** ALTER TABLE … DROP a column; indexes that hold it lose it. Links go with their table. */
export function dropColumn(db: Database, table: Table, column: Column): Statement | null {
  const links = linkTable(table.key, column);
  if (links && column.type.kind === 'references') {
    return column.type.mirrors === null ? dropTable(db, links.name) : null;
  }
  const spare = (['new', 'was', 'ids'] as const).map((part) => spareKey(part, column.key));
  const parts = [column.key, ...spare].map((name) => `drop column if exists ${quote(db, name)}`);
  if (column.type.kind === 'reference') parts.unshift(dropForeignKey(db, table.key, column.key));
  return `alter table ${tableSql(db, table.key)} ${parts.join(', ')}`;
}

/**
 * The name of a column beside another one: the next one while it is filled, what that one was before, or the links
 * that it has as a list of ids, before they go.
 */
export function spareKey(part: 'new' | 'was' | 'ids', column: string): string {
  return `${part}~${column}`;
}

/** A SELECT that gives a row where a table has a column. */
export function columnThere(db: Database, table: string, column: string): Statement {
  const text = (given: string) => `'${given.replaceAll("'", "''")}'`;
  return `select 1 as there from information_schema.columns where table_schema = ${text(db.records)} and table_name = ${text(table)} and column_name = ${text(column)}`;
}

/** The type in which values of a column stand in one: links as a list of ids. */
export function besideSql({ type }: Column): string {
  return type.kind === 'references' ? 'mediumtext' : typeSql(type);
}

/**
 * What stands in a column of the row `r`, with the JOIN that it wants: links are a list of ids, in their order. Their
 * table is read once, as `l`, so that it can be locked under that name.
 */
export function standsSql(
  db: Database,
  table: string,
  column: Column,
): { value: string; join: string } {
  const links = linkTable(table, column);
  if (!links) return { value: `r.${quote(db, column.key)}`, join: '' };
  const [own, other] = [quote(db, links.own), quote(db, links.other)];
  const listed = `select l.${own} as id, group_concat(l.${other} order by l.${other}) as v
    from ${tableSql(db, links.name)} as l group by l.${own}`;
  return { value: 'w.v', join: `left join (${listed}) as w on w.id = r.id` };
}

/** INSERT that makes links of the lists of ids which stand in a column of `r`, of records `t` that are there. */
export function linksFromSql(db: Database, table: string, column: Column, from: string): Statement {
  const links = linkTable(table, column);
  if (!links || column.type.kind !== 'references') throw new RangeError('a column without links');
  const target = tableSql(db, column.type.table);
  const listed = `json_table(concat('[', r.${quote(db, from)}, ']'), '$[*]' columns (id bigint unsigned path '$'))`;
  return `insert ignore into ${tableSql(db, links.name)} (${quote(db, links.own)}, ${quote(db, links.other)})
    select r.id, t.id from ${tableSql(db, table)} as r join ${listed} as x join ${target} as t on t.id = x.id`;
}

/** ALTER TABLE that adds an empty column beside one that is to become it; what was left there before goes. */
export function newColumnSql(
  db: Database,
  table: Table,
  was: Column,
  after: Column,
  keepsWas: boolean,
): Statement {
  const [fresh, spare, ids] = (['new', 'was', 'ids'] as const).map((part) =>
    quote(db, spareKey(part, after.key)),
  );
  const parts = [
    `drop column if exists ${fresh}`,
    `drop column if exists ${ids}`,
    ...(keepsWas ? [] : [`drop column if exists ${spare}`]),
    `add column ${fresh} ${besideSql(after)} null`,
    ...(was.type.kind === 'references' ? [`add column ${ids} ${besideSql(was)} null`] : []),
  ];
  return `alter table ${tableSql(db, table.key)} ${parts.join(', ')}`;
}

/**
 * ALTER TABLE that has the new column take the place of the old one, which is kept beside it without any key. Where the
 * new ones are links, they are made already, and the list of them goes.
 */
export function swapColumnSql(db: Database, table: Table, was: Column, after: Column): Statement {
  const [fresh, spare, ids] = (['new', 'was', 'ids'] as const).map((part) =>
    quote(db, spareKey(part, was.key)),
  );
  const indexes = table.indexes.filter(({ columns }) => columns.includes(was.key));
  const linked = was.type.kind === 'references';
  const parts = [
    ...(was.type.kind === 'reference' ? [dropForeignKey(db, table.key, was.key)] : []),
    `drop index if exists ${quote(db, uniqueName(was.key))}`,
    ...indexes.map((index) => `drop index if exists ${quote(db, indexName(index))}`),
    `drop column if exists ${spare}`,
    `change column ${linked ? ids : quote(db, was.key)} ${spare} ${besideSql(was)} null`,
    ...(after.type.kind === 'references'
      ? [`drop column ${fresh}`]
      : [
          `change column ${fresh} ${columnSql(db, after)}`,
          ...constraintSql(db, table.key, after).map((constraint) => `add ${constraint}`),
        ]),
  ];
  return `alter table ${tableSql(db, table.key)} ${parts.join(', ')}`;
}

function dropForeignKey(db: Database, table: string, column: string): string {
  return `drop foreign key if exists ${quote(db, foreignKeyName(table, column))}`;
}

function addForeignKeys(db: Database, table: string, columns: readonly Column[]): string[] {
  return columns
    .flatMap((column) => constraintSql(db, table, column))
    .filter((constraint) => constraint.includes('foreign key'))
    .map((constraint) => `add ${constraint.replace('foreign key', 'foreign key if not exists')}`);
}

/** DROP TABLE. */
export function dropTable(db: Database, table: string): Statement {
  return `drop table if exists ${tableSql(db, table)}`;
}

/** DROP TABLE of a table with the links of its columns, which refer to it and would hold it back. */
export function dropWholeTable(db: Database, table: Table): Statement {
  const links = ownLinks(table).map(({ name }) => name);
  const all = [...links, table.key].map((name) => tableSql(db, name));
  return `drop table if exists ${all.join(', ')}`;
}

/** CREATE INDEX for choices: FULLTEXT for search, a B-tree for order and narrowing. */
export function createIndex(db: Database, table: Table, index: TableIndex): Statement {
  const kind = index.kind === 'search' ? 'fulltext index' : 'index';
  const columns = index.columns.map((c) => quote(db, c)).join(', ');
  const name = quote(db, indexName(index));
  return `create ${kind} if not exists ${name} on ${tableSql(db, table.key)} (${columns})`;
}

/** The table that holds the words of an index beside its own one. */
export function wordsName(index: string): string {
  return `words~${index}`;
}

/** CREATE TABLE of the words of records, with a full-text index. */
export function createWords(db: Database, index: string): Statement {
  return `create table if not exists ${tableSql(db, wordsName(index))} (
  id bigint unsigned not null primary key,
  words longtext not null,
  fulltext index words (words)
) engine=innodb row_format=dynamic default charset=utf8mb4 collate=utf8mb4_uca1400_ai_ci`;
}

/** The name of the unique index of a column, as it stands in an error of the database. */
export function uniqueName(column: string): string {
  return `uq_${column}`;
}

/** A table of the records schema, quoted. */
export function tableSql(db: Database, table: string): string {
  return `${quote(db, db.records)}.${quote(db, table)}`;
}

function columnSql(db: Database, column: Column): string {
  const required = column.required ? 'not null' : 'null';
  return `${quote(db, column.key)} ${typeSql(column.type)} ${required}`;
}

function constraintSql(db: Database, table: string, column: Column): string[] {
  const constraints: string[] = [];
  const name = quote(db, column.key);
  if (isUnique(column)) {
    constraints.push(`unique key ${quote(db, uniqueName(column.key))} (${name})`);
  }
  if (column.type.kind === 'reference') {
    const key = foreignKeyName(table, column.key);
    const target = tableSql(db, column.type.table);
    constraints.push(
      `constraint ${quote(db, key)} foreign key (${name}) references ${target} (\`id\`) on delete restrict`,
    );
  }
  return constraints;
}

function foreignKeyName(table: string, column: string): string {
  return `fk_${createHash('sha256').update(`${table}.${column}`).digest('hex').slice(0, 16)}`;
}

function typeSql(type: ValueType): string {
  switch (type.kind) {
    case 'text':
      return `varchar(${type.length})`;
    case 'long_text':
      return 'mediumtext';
    case 'whole':
      return 'bigint';
    case 'decimal':
      return `decimal(${type.precision}, ${type.scale})`;
    case 'yes_no':
      return 'tinyint(1)';
    case 'date':
      return 'date';
    case 'time':
      return 'time';
    case 'date_time':
      return 'datetime';
    case 'duration':
      // Whole seconds: exact, in order, and summed by any program.
      return 'bigint';
    case 'option':
      return 'varchar(100)';
    case 'code':
      return `varchar(${longestCode})`;
    case 'reference':
      return 'bigint unsigned';
    case 'rows':
    case 'files':
      return 'json';
    case 'references':
      throw new RangeError('links have a table of their own');
  }
}

function indexName(index: TableIndex): string {
  const stem = index.kind === 'search' ? 'ft' : 'ix';
  const hash = createHash('sha256').update(index.columns.join(',')).digest('hex').slice(0, 12);
  return `${stem}_${hash}`;
}

function quote(db: Database, name: string): string {
  const client = db.knex.client as Knex.Client;
  return client.wrapIdentifier(name, {});
}
