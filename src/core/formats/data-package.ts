import { z } from 'zod';
import { namedRehearsalsSchema } from '../rehearsal/rehearsal';
import { planSchema } from '../plan/schema';
import {
  isUnique,
  keyFrom,
  labelFrom,
  tableSchema,
  type Column,
  type Table,
} from '../table/definition';
import { namedConnectionSchema, querySchema } from '../outside/query';
import { optionListSchema } from '../table/option-list';
import { longestText, plainText, type Value, type ValueType } from '../values/types';

/**
 * A house, or a part of it, as a Data Package (datapackage.org, version 2): a CSV for each table, described by
 * Table Schemas, and what else is in the house as one more resource.
 */

export const packageProfile = 'https://datapackage.org/profiles/2.0/datapackage.json';
const tableProfile = 'https://datapackage.org/profiles/2.0/tableschema.json';
/** The file in which a house keeps what a Table Schema does not say. */
export const housePath = 'unisor/house.json';
/** The list of the files in a package, with what is known of each. */
export const fileListPath = 'data/~files.csv';

/** Where a file of a record stands in a package. */
export function filePath(id: string): string {
  return `files/${id}`;
}

const fieldSchema = z.object({
  name: z.string().min(1).max(200),
  type: z.string().default('string'),
  format: z.string().optional(),
  title: z.string().optional(),
  itemType: z.string().optional(),
  delimiter: z.string().optional(),
  trueValues: z.array(z.string()).optional(),
  falseValues: z.array(z.string()).optional(),
  categories: z
    .array(z.union([z.string(), z.object({ value: z.string(), label: z.string().optional() })]))
    .optional(),
  constraints: z
    .object({
      required: z.boolean().optional(),
      unique: z.boolean().optional(),
      maxLength: z.number().optional(),
      enum: z.array(z.union([z.string(), z.number(), z.boolean()])).optional(),
    })
    .optional(),
});
export type PackageField = z.infer<typeof fieldSchema>;

const names = z.union([z.string().transform((name) => [name]), z.array(z.string())]);
const schemaSchema = z.object({
  fields: z.array(fieldSchema).max(150),
  primaryKey: names.optional(),
  uniqueKeys: z.array(names).optional(),
  foreignKeys: z
    .array(
      z.object({
        fields: names,
        reference: z.object({ resource: z.string().default(''), fields: names }),
      }),
    )
    .optional(),
  missingValues: z
    .array(z.union([z.string(), z.object({ value: z.string() }).transform(({ value }) => value)]))
    .optional(),
});
export type PackageSchema = z.infer<typeof schemaSchema>;

const resourceSchema = z.object({
  name: z.string().min(1).max(200),
  title: z.string().optional(),
  path: z.union([z.string(), z.array(z.string()).min(1)]).optional(),
  type: z.string().optional(),
  format: z.string().optional(),
  mediatype: z.string().optional(),
  encoding: z.string().optional(),
  dialect: z.object({ delimiter: z.string().optional() }).optional(),
  schema: z.union([schemaSchema, z.string()]).optional(),
});
export type PackageResource = z.infer<typeof resourceSchema>;

/** `datapackage.json`, as far as it is read; what else stands in it is left alone. */
export const packageSchema = z.object({
  name: z.string().optional(),
  title: z.string().optional(),
  resources: z.array(resourceSchema).min(1).max(2000),
});

/** What is in a house beside the rows of its tables. Secrets of connections are not. */
export const housePartSchema = z.strictObject({
  format: z.literal(1),
  tables: z.array(tableSchema),
  lists: z.array(optionListSchema),
  /** How outside systems are reached; their secrets stay where they are. */
  connections: z.array(namedConnectionSchema).default([]),
  queries: z.array(querySchema).default([]),
  forms: z.array(
    z.strictObject({
      key: z.string(),
      draft: planSchema,
      editions: z.array(
        z.strictObject({ number: z.number().int(), plan: planSchema, by: z.string() }),
      ),
      rehearsals: namedRehearsalsSchema.optional(),
    }),
  ),
});
export type HousePart = z.infer<typeof housePartSchema>;

/** The descriptor of tables, with the definitions beside them. */
export function describePackage(tables: readonly Table[], title: string): object {
  return {
    $schema: packageProfile,
    name: 'unisor',
    title,
    resources: [
      ...tables.map((table) => ({
        name: table.key,
        title: table.title,
        path: dataPath(table),
        type: 'table',
        format: 'csv',
        mediatype: 'text/csv',
        encoding: 'utf-8',
        schema: describeTable(table),
      })),
      ...(holdFiles(tables) ? [fileList] : []),
      { name: 'unisor-house', path: housePath, format: 'json', mediatype: 'application/json' },
    ],
  };
}

/** Whether records of tables can hold files. */
export function holdFiles(tables: readonly Table[]): boolean {
  return tables.some(({ columns }) => columns.some(({ type }) => type.kind === 'files'));
}

const fileList = {
  name: 'unisor-files',
  title: 'Files',
  path: fileListPath,
  type: 'table',
  format: 'csv',
  mediatype: 'text/csv',
  encoding: 'utf-8',
  schema: {
    $schema: tableProfile,
    fields: [
      { name: 'file', type: 'string', constraints: { required: true, unique: true } },
      { name: 'name', type: 'string' },
      { name: 'type', type: 'string' },
      { name: 'size', type: 'integer' },
    ],
    primaryKey: ['file'],
  },
};

/** Where the rows of a table stand. */
export function dataPath({ key }: Table): string {
  return `data/${key}.csv`;
}

/** A Table Schema with types, constraints, the primary key and foreign keys. */
export function describeTable(table: Table): object {
  const columns = packedColumns(table);
  const references = columns.filter(({ type }) => type.kind === 'reference');
  return {
    $schema: tableProfile,
    fields: [
      { name: 'id', type: 'integer', constraints: { required: true, unique: true } },
      ...columns.map(describeColumn),
    ],
    primaryKey: ['id'],
    ...(references.length > 0
      ? {
          foreignKeys: references.map(({ key, type }) => {
            const to = type.kind === 'reference' && type.table !== table.key ? type.table : '';
            return { fields: [key], reference: { resource: to, fields: ['id'] } };
          }),
        }
      : {}),
    missingValues: [''],
  };
}

/** The columns whose values stand in a table's file: the other side of links stands where they are made. */
export function packedColumns({ columns }: Table): Column[] {
  return columns.filter(({ type }) => type.kind !== 'references' || type.mirrors === null);
}

function describeColumn({ key, label, type, required, unique }: Column): object {
  const constraints = {
    ...(required ? { required } : {}),
    ...(isUnique({ unique, type }) ? { unique: true } : {}),
    ...(type.kind === 'text' ? { maxLength: type.length } : {}),
    ...(type.kind === 'option' ? { enum: type.options.map(({ value }) => value) } : {}),
  };
  const more = Object.keys(constraints).length > 0 ? { constraints } : {};
  return { name: key, title: label, ...describeType(type), ...more };
}

function describeType(type: ValueType): object {
  switch (type.kind) {
    case 'text':
      return type.format === 'email' || type.format === 'url'
        ? { type: 'string', format: type.format === 'url' ? 'uri' : 'email' }
        : { type: 'string' };
    case 'long_text':
    case 'code':
      return { type: 'string' };
    case 'option': {
      const categories = type.options.map(({ value, label }) => ({ value, label }));
      return { type: 'string', categories };
    }
    case 'whole':
    case 'reference':
      return { type: 'integer' };
    case 'decimal':
      return { type: 'number' };
    case 'yes_no':
      return { type: 'boolean' };
    case 'date':
      return { type: 'date' };
    case 'time':
      return { type: 'time' };
    case 'date_time':
      return { type: 'datetime' };
    case 'duration':
      return { type: 'duration' };
    case 'references':
      return { type: 'list', itemType: 'integer', delimiter: ',' };
    case 'rows':
    case 'files':
      return { type: 'array' };
  }
}

/** A value as it stands in a file of a package. */
export function packedText(value: Value): string {
  if (value === null) return '';
  if (!Array.isArray(value)) return String(value);
  return typeof value[0] === 'object' ? JSON.stringify(value) : value.join(',');
}

/** A text of a file of ours as the value that it was. Where it is none, the check of values says so. */
export function unpacked(type: ValueType, text: string): unknown {
  if (text === '') return null;
  switch (type.kind) {
    case 'whole':
    case 'reference':
      return Number(text);
    case 'yes_no':
      return text === 'true' ? true : text === 'false' ? false : text;
    case 'references':
      return text.split(',').map(Number);
    case 'rows':
    case 'files':
      try {
        return JSON.parse(text) as unknown;
      } catch {
        return text;
      }
    default:
      return text;
  }
}

/** What a package of others says of a table: its columns as plain values, and which of them refer to others. */
export interface DescribedTable {
  table: Table;
  /** The name of each column's field in the file, in order. */
  fields: string[];
  references: { column: string; resource: string; field: string }[];
}

/** Reads a Table Schema as a table of ours; `taken` are the keys of tables that are there, `long` fields of long texts. */
export function tableFromSchema(
  { name, title }: PackageResource,
  schema: PackageSchema,
  taken: Iterable<string>,
  long: ReadonlySet<string> = new Set(),
): DescribedTable {
  const columns: Column[] = [];
  const single = (list: readonly string[] | undefined) =>
    list?.length === 1 ? list[0] : undefined;
  const unique = new Set([single(schema.primaryKey), ...(schema.uniqueKeys ?? []).map(single)]);
  for (const field of schema.fields) {
    const key = keyFrom(field.name, [...columns.map((c) => c.key), 'id']);
    const { constraints } = field;
    const type = typeOfField(field, long.has(field.name));
    columns.push({
      ...{ key, label: field.title ?? labelFrom(field.name), type },
      required: constraints?.required === true || single(schema.primaryKey) === field.name,
      unique: type.kind !== 'long_text' && (constraints?.unique === true || unique.has(field.name)),
    });
  }
  const keyOf = (field: string) => columns[schema.fields.findIndex((f) => f.name === field)]?.key;
  const texts = columns.filter(({ type }) => type.kind === 'text');
  const shown = texts.find(({ key }) => /name|title|label/.test(key)) ?? texts[0] ?? columns[0];
  const table: Table = {
    key: keyFrom(name, taken),
    title: title ?? labelFrom(keyFrom(name)),
    columns,
    display: shown ? [shown.key] : [],
    indexes: [],
  };
  const references = (schema.foreignKeys ?? []).flatMap(({ fields, reference }) => {
    const [own, other] = [single(fields), single(reference.fields)];
    const column = own === undefined ? undefined : keyOf(own);
    if (column === undefined || other === undefined) return [];
    return [
      { column, resource: reference.resource === '' ? name : reference.resource, field: other },
    ];
  });
  return { table, fields: schema.fields.map((field) => field.name), references };
}

function typeOfField(
  { type, format, constraints, categories }: PackageField,
  isLong: boolean,
): ValueType {
  switch (type) {
    case 'integer':
    case 'year':
      return { kind: 'whole' };
    case 'number':
      return { kind: 'decimal', precision: 30, scale: 10 };
    case 'boolean':
      return { kind: 'yes_no' };
    case 'date':
      return { kind: 'date' };
    case 'time':
      return { kind: 'time' };
    case 'datetime':
      return { kind: 'date_time' };
    case 'duration':
      return { kind: 'duration' };
    default: {
      const offered = optionsOf(categories, constraints?.enum);
      if (offered) return { kind: 'option', options: offered };
      if (format === 'email') return { ...plainText, format } as ValueType;
      const length = constraints?.maxLength ?? longestText;
      return isLong || length > longestText
        ? { kind: 'long_text' }
        : { kind: 'text', format: 'plain', length };
    }
  }
}

function optionsOf(
  categories: PackageField['categories'],
  listed: readonly unknown[] | undefined,
): { value: string; label: string }[] | null {
  const given: { value: string; label?: string | undefined }[] | undefined = categories
    ? categories.map((one) => (typeof one === 'string' ? { value: one } : one))
    : listed?.map((value) => ({ value: String(value) }));
  const options = given?.map(({ value, label }) => ({ value, label: label ?? value }));
  const fits = options?.every(({ value, label }) => value.length <= 100 && label.length <= 200);
  return options && fits && options.length > 0 && options.length <= 2000 ? options : null;
}
