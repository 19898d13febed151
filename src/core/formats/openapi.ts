import { z, type ZodType } from 'zod';
import { asks } from '../plan/asked-plan';
import { heldTypeIn } from '../plan/held';
import type { Plan } from '../plan/schema';
import { scopesOf, type PlanScope } from '../plan/scopes';
import { problemSchema } from '../problems';
import type { Column, House, Table } from '../table/definition';
import { keptFileSchema } from '../values/files';
import type { RowColumn, ValueType } from '../values/types';

/** A description as JSON Schema (draft 2020-12), as OpenAPI 3.1 takes it. */
export type JsonSchema = Readonly<Record<string, unknown>>;

/** One thing that programs can ask. */
export interface Operation {
  /** `GET /api/tables/{table}`. */
  method: string;
  path: string;
  summary: string;
  /** Whether nobody has to be known. */
  open: boolean;
  body?: ZodType | JsonSchema | undefined;
  /** What is answered; nothing where it is absent. */
  answer?: ZodType | JsonSchema | undefined;
  /** The media types of the file that is answered instead. */
  file?: readonly string[] | undefined;
  status: number;
  query?: readonly { name: string; says: string }[] | undefined;
}

/** A table, or a form by its edition, with what of it somebody may do. */
export interface DescribedTable {
  table: Table;
  adds: boolean;
  changes: boolean;
}
export interface DescribedForm {
  key: string;
  edition: number;
  plan: Plan;
}

/** The API as OpenAPI 3.1: what every table and form takes besides, each with its own columns and fields. */
export function openApi(
  about: { version: string; server: string },
  operations: readonly Operation[],
  tables: readonly DescribedTable[],
  forms: readonly DescribedForm[],
  house: House,
): JsonSchema {
  const all = [
    ...operations,
    ...tables.flatMap((described) => ofTable(described)),
    ...forms.map((form) => ofForm(form, house)),
  ];
  const paths: Record<string, Record<string, unknown>> = {};
  for (const operation of all) {
    const { method, path } = operation;
    (paths[path] ??= {})[method.toLowerCase()] = described(operation);
  }
  return {
    openapi: '3.1.0',
    info: {
      title: 'Unisor',
      version: about.version,
      description:
        'Values travel in canonical form: text, decimals, dates and times as strings, whole numbers and records as numbers, yes/no as booleans, several records as arrays, nothing as null. Errors are problem details (RFC 9457).',
    },
    servers: [{ url: about.server }],
    security: [{ token: [] }],
    paths,
    components: {
      securitySchemes: { token: { type: 'http', scheme: 'bearer' } },
      schemas: {
        Problem: {
          type: 'object',
          required: ['status', 'problems'],
          properties: {
            type: { type: 'string' },
            title: { type: 'string' },
            status: { type: 'integer' },
            problems: { type: 'array', items: jsonOf(problemSchema) },
          },
        },
      },
    },
  };
}

function described({ path, summary, open, body, answer, file, status, query = [] }: Operation) {
  const named = [...path.matchAll(/\{(\w+)\}/g)].map(([, name]) => ({
    ...{ name, in: 'path', required: true },
    schema: { type: 'string' },
  }));
  const asked = query.map(({ name, says }) => ({
    ...{ name, in: 'query', required: false, description: says },
    schema: { type: 'string' },
  }));
  const problem = { $ref: '#/components/schemas/Problem' };
  return {
    summary,
    tags: [tagOf(path)],
    ...(open ? { security: [] } : {}),
    ...(named.length + asked.length > 0 ? { parameters: [...named, ...asked] } : {}),
    ...(body ? { requestBody: { required: true, content: content(body) } } : {}),
    responses: {
      [status]: file
        ? { description: 'The file.', content: fileContent(file) }
        : answer
          ? { description: 'Done.', content: content(answer) }
          : { description: 'Done; nothing is said.' },
      default: {
        description: 'Refused, with each problem at its place.',
        content: { 'application/problem+json': { schema: problem } },
      },
    },
  };
}

/** Under what a reader looks for it: by the first word of its address, each table and form besides by its own. */
function tagOf(path: string): string {
  const [, about = '', key = ''] = /^\/api\/([^/]+)(?:\/([^/{]+))?/.exec(path) ?? [];
  const own = (about === 'tables' && key !== '') || (about === 'forms' && key !== '');
  return own ? `${about} · ${key}` : about;
}

function fileContent(types: readonly string[]) {
  return Object.fromEntries(types.map((type) => [type, {}]));
}

function content(schema: ZodType | JsonSchema) {
  return { 'application/json': { schema: jsonOf(schema) } };
}

function jsonOf(schema: ZodType | JsonSchema): JsonSchema {
  if (!(schema instanceof z.ZodType)) return schema;
  const json = z.toJSONSchema(schema, { io: 'input', unrepresentable: 'any' });
  // Which dialect it is says the document as a whole.
  return Object.fromEntries(Object.entries(json).filter(([name]) => name !== '$schema'));
}

function ofTable({ table, adds, changes }: DescribedTable): Operation[] {
  const { key, title, columns } = table;
  const base = `/api/tables/${key}/records`;
  const record = {
    type: 'object',
    required: ['id', 'version', 'values'],
    properties: {
      id: { type: 'integer' },
      version: { type: 'integer' },
      values: valuesOf(columns, () => true),
      shown: { type: 'object', additionalProperties: { type: 'string' } },
    },
  };
  const page = {
    type: 'object',
    required: ['records', 'next', 'total', 'more'],
    properties: {
      records: { type: 'array', items: record },
      next: { type: ['string', 'null'] },
      total: { type: 'integer' },
      more: { type: 'boolean' },
    },
  };
  const plain = { open: false, status: 200 };
  const found: Operation[] = [
    {
      ...{ ...plain, method: 'GET', path: base, summary: `Records of ${title}` },
      ...{ answer: page, query: recordsQuery },
    },
    {
      ...{ ...plain, method: 'GET', path: `${base}/{id}`, summary: `A record of ${title}` },
      answer: record,
    },
  ];
  const values = (required: (column: Column) => boolean) => ({
    type: 'object',
    required: ['values'],
    properties: { values: valuesOf(columns, () => true, required) },
  });
  if (adds) {
    const must = ({ required, type }: Column) => required && type.kind !== 'code';
    found.push({
      ...{ ...plain, method: 'POST', path: base, summary: `Adds a record to ${title}` },
      ...{ body: values(must), answer: record, status: 201 },
    });
  }
  if (changes) {
    const body = values(() => false);
    found.push({
      ...{
        ...plain,
        method: 'PATCH',
        path: `${base}/{id}`,
        summary: `Changes a record of ${title}`,
      },
      body: {
        ...body,
        required: ['version', 'values'],
        properties: { version: { type: 'integer' }, ...body.properties },
      },
      answer: record,
    });
  }
  return found;
}

/** How records are asked for. */
export const recordsQuery = [
  { name: 'filter', says: 'JSON: [{path, operator, values}]' },
  { name: 'sort', says: 'JSON: [{path, descending}]' },
  { name: 'search', says: 'Words that begin words of what names a record' },
  { name: 'after', says: '“next” of the page before' },
  { name: 'limit', says: '1 to 500; 50 where it is not said' },
] as const;

/** What a form takes: its fields and its lines, by the edition that is open. */
function ofForm({ key, edition, plan }: DescribedForm, house: House): Operation {
  const scopes = scopesOf(plan);
  const [root] = scopes;
  const fieldsOf = (scope: PlanScope) => ({
    type: 'object',
    properties: Object.fromEntries(
      scope.fields
        .filter(({ computes }) => computes === null)
        .map((field) => [
          field.key,
          { title: field.label, ...typeOf(heldTypeIn(scope, field, house)) },
        ]),
    ),
  });
  const rows = scopes.slice(1).map((scope) => [
    scope.key,
    {
      type: 'array',
      items: {
        type: 'object',
        properties: {
          id: { type: 'integer' },
          version: { type: 'integer' },
          removed: { type: 'boolean' },
          values: fieldsOf(scope),
        },
      },
    },
  ]);
  return {
    ...{ method: 'POST', path: `/api/forms/${key}/entries`, open: false, status: 201 },
    summary: `Saves ${plan.title}`,
    body: {
      type: 'object',
      required: ['submission', 'edition', 'values'],
      properties: {
        submission: {
          type: 'string',
          description: 'Made once for each save; a retry has the same',
        },
        edition: { const: edition },
        record: {
          type: 'object',
          required: ['id', 'version'],
          properties: { id: { type: 'integer' }, version: { type: 'integer' } },
        },
        values: { ...(root ? fieldsOf(root) : { type: 'object' }), ...answersOf(plan, house) },
        rows: { type: 'object', properties: Object.fromEntries(rows) },
      },
    },
    answer: {
      type: 'object',
      required: ['receipt'],
      properties: {
        receipt: {
          type: 'object',
          required: ['submission', 'records'],
          properties: {
            submission: { type: 'string' },
            records: { type: 'array', items: { type: 'object' } },
          },
        },
      },
    },
  };
}

/** What an edition of a form takes, as a JSON Schema of its own (2020-12). */
export function entrySchemaOf(form: DescribedForm, house: House): JsonSchema {
  const { body } = ofForm(form, house);
  return {
    $schema: 'https://json-schema.org/draft/2020-12/schema',
    title: `${form.plan.title}, edition ${form.edition}`,
    ...(body as JsonSchema),
  };
}

/** What is said of a form that asks questions: which they are depends on rows, and on other values. */
function answersOf(plan: Plan, house: House): JsonSchema {
  const [asking] = plan.sections.filter(asks);
  if (!asking) return {};
  const { table } = asking.questions;
  const title = house.get(table)?.title ?? table;
  return {
    description: `Answers to the rows of ${title} besides, by code; POST /questions says which are asked.`,
    additionalProperties: true,
  };
}

function valuesOf<C extends Column>(
  columns: readonly C[],
  has: (column: C) => boolean,
  required: (column: C) => boolean = () => false,
): JsonSchema {
  const needed = columns.filter(required).map(({ key }) => key);
  return {
    type: 'object',
    ...(needed.length > 0 ? { required: needed } : {}),
    properties: Object.fromEntries(
      columns.filter(has).map(({ key, label, type }) => [key, { title: label, ...typeOf(type) }]),
    ),
  };
}

/** A value of a type in canonical form, or nothing. */
export function typeOf(type: ValueType): JsonSchema {
  const { type: plain, ...more } = plainTypeOf(type);
  return { type: [plain, 'null'], ...more };
}

function plainTypeOf(type: ValueType): { type: string } & JsonSchema {
  switch (type.kind) {
    case 'text':
      return { type: 'string', maxLength: type.length };
    case 'whole':
      return { type: 'integer' };
    case 'reference':
      return { type: 'integer', description: `A record of ${type.table}` };
    case 'yes_no':
      return { type: 'boolean' };
    case 'decimal':
      return { type: 'string', pattern: '^-?\\d+(\\.\\d+)?$' };
    case 'date':
      return { type: 'string', format: 'date' };
    case 'date_time':
      return { type: 'string', format: 'date-time' };
    case 'time':
      return { type: 'string', pattern: '^\\d{2}:\\d{2}(:\\d{2})?$' };
    case 'duration':
      return { type: 'string', format: 'duration' };
    case 'references':
      return {
        type: 'array',
        items: { type: 'integer' },
        description: `Records of ${type.table}`,
      };
    case 'rows':
      return { type: 'array', items: rowOf(type.columns) };
    case 'files':
      return {
        type: 'array',
        items: z.toJSONSchema(keptFileSchema, { io: 'input' }) as JsonSchema,
      };
    default:
      return { type: 'string' };
  }
}

function rowOf(columns: readonly RowColumn[]): JsonSchema {
  return {
    type: 'object',
    properties: Object.fromEntries(
      columns.map(({ key, label, type }) => [key, { title: label, ...typeOf(type) }]),
    ),
  };
}
