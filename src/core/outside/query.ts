import { z } from 'zod';
import { problem, type Problem } from '../problems';
import { keySchema } from '../values/key';
import { plainTypeSchema } from '../values/types';
import { placesIn } from './template';

/** How an outside system is reached. Secrets are no part of it: they are kept apart, and never sent. */
export const connectionSchema = z.discriminatedUnion('kind', [
  z.strictObject({
    kind: z.literal('http'),
    /** The address below which its queries ask: `http://register.example.org/api`. */
    base: z.url({ protocol: /^https?$/, hostname: /.*/ }).max(500),
    /** Headers that every request carries; none that signs it in. */
    headers: z
      .array(
        z.strictObject({
          name: z
            .string()
            .regex(/^[A-Za-z0-9-]{1,100}$/, 'a header’s name holds letters, digits and -'),
          value: z
            .string()
            .max(500)
            .regex(/^[^\r\n]*$/, 'a header stands on one line'),
        }),
      )
      .max(20)
      .default([]),
    /** How it is signed in to: with the secret as a token, or as the password of a user. */
    signIn: z.enum(['none', 'token', 'basic']).default('none'),
    user: z.string().max(200).default(''),
  }),
  z.strictObject({
    kind: z.literal('sql'),
    host: z.string().trim().min(1).max(200),
    port: z.number().int().min(1).max(65535).default(3306),
    database: z.string().trim().min(1).max(64),
    user: z.string().trim().min(1).max(80),
    /** Whether forms may also write to it; queries read only, whatever is said here. */
    writes: z.boolean().default(false),
  }),
  z.strictObject({
    kind: z.literal('file'),
    /** The CSV file as it was brought in. */
    text: z.string().max(2_000_000),
  }),
]);
export type Connection = z.infer<typeof connectionSchema>;

/** A connection with its name. */
export const namedConnectionSchema = z.strictObject({
  key: keySchema,
  title: z.string().trim().min(1).max(200),
  note: z.string().max(1000).default(''),
  reach: connectionSchema,
});
export type NamedConnection = z.infer<typeof namedConnectionSchema>;

/** An outside system as forms know it. */
export interface System {
  key: string;
  title: string;
  /** How it can be told something: as an HTTP service, by a statement, or not at all. */
  accepts: 'http' | 'sql' | null;
}
export type Systems = ReadonlyMap<string, System>;

/** What forms may know of a connection. */
export function systemOf({ key, title, reach }: NamedConnection): System {
  const accepts =
    reach.kind === 'http' || (reach.kind === 'sql' && reach.writes) ? reach.kind : null;
  return { key, title, accepts };
}

/** A value that a query needs: from a field, or typed while trying it out. */
export const parameterSchema = z.strictObject({
  key: keySchema,
  label: z.string().trim().min(1).max(200),
  type: plainTypeSchema,
  required: z.boolean().default(true),
  /** What it is tried out with. */
  example: z.string().max(200).default(''),
});
export type Parameter = z.infer<typeof parameterSchema>;

/** A column of a query's rows. */
export const outsideColumnSchema = z.strictObject({
  key: keySchema,
  label: z.string().trim().min(1).max(200),
  /** Where it stands in a row: `contact.name`; for SQL and files the column's name. */
  path: z.string().trim().min(1).max(200),
  type: plainTypeSchema,
});
export type OutsideColumn = z.infer<typeof outsideColumnSchema>;

/** How an answer that comes in pages goes on. */
export const pagesSchema = z.strictObject({
  /** The parameter that says which page is wanted. */
  parameter: keySchema,
  /** It accepts: how many rows came before, the number of the page from 1, or what the last answer gave. */
  by: z.enum(['rows', 'pages', 'next']),
  /** Where an answer says what the next page is asked for with. */
  next: z.string().trim().max(200).default(''),
  /** Where an answer says how many rows there are in all; empty where it does not. */
  total: z.string().trim().max(200).default(''),
});
export type Pages = z.infer<typeof pagesSchema>;

/** A question to an outside system whose answer is rows. */
export const querySchema = z.strictObject({
  key: keySchema,
  title: z.string().trim().min(1).max(200),
  connection: keySchema,
  /** The address below the base, or a SELECT; `{name}` stands for a parameter. Empty for a file. */
  text: z.string().trim().max(5000).default(''),
  parameters: z.array(parameterSchema).max(20).default([]),
  /** Where the rows stand in the answer: `items`; empty where the answer itself is the row, or the rows. */
  rows: z.string().trim().max(200).default(''),
  columns: z.array(outsideColumnSchema).max(40).default([]),
  /** The parameter that takes what is typed into a list; without one, the rows are searched here. */
  searches: keySchema.nullable().default(null),
  /** How further pages are asked for; `null` where an answer is whole. */
  pages: pagesSchema.nullable().default(null),
  /** Milliseconds after which it is not waited for any more. */
  limit: z.number().int().min(100).max(20_000).default(4000),
  /** Seconds for which an answer is used again; 0 asks each time. */
  keeps: z.number().int().min(0).max(86_400).default(60),
});
export type Query = z.infer<typeof querySchema>;

/** All queries by key, as plans read them. */
export type Queries = ReadonlyMap<string, Query>;

/** At most so many rows of an answer are used. */
export const mostOutsideRows = 2000;
/** At most so many bytes of an answer are read. */
export const largestAnswer = 5_000_000;

/** The parameters that fields give values to: not what is typed, nor the page. */
export function givenParameters({ parameters, searches, pages }: Query): Parameter[] {
  return parameters.filter(({ key }) => key !== searches && key !== pages?.parameter);
}

/** Everything that is wrong with a query, by path; its connection is looked up by the caller. */
export function queryProblems(query: Query, kind: Connection['kind']): Problem[] {
  const problems: Problem[] = [];
  const known = new Set(query.parameters.map(({ key }) => key));
  if (known.size < query.parameters.length) {
    problems.push(problem('parameter_twice', { query: query.title }, 'parameters'));
  }
  const columns = new Set(query.columns.map(({ key }) => key));
  if (columns.size < query.columns.length) {
    problems.push(problem('outside_column_twice', { query: query.title }, 'columns'));
  }
  for (const name of placesIn(query.text)) {
    if (!known.has(name)) problems.push(problem('parameter_missing', { parameter: name }, 'text'));
  }
  if (query.searches !== null && !known.has(query.searches)) {
    problems.push(problem('parameter_missing', { parameter: query.searches }, 'searches'));
  }
  if (query.pages && !known.has(query.pages.parameter)) {
    problems.push(problem('parameter_missing', { parameter: query.pages.parameter }, 'pages'));
  }
  if (query.pages?.by === 'next' && query.pages.next === '') {
    problems.push(problem('next_page_missing', {}, 'pages'));
  }
  if (kind === 'http' && /^[a-z][a-z0-9+.-]*:|^\/\//i.test(query.text)) {
    problems.push(problem('address_outside_base', {}, 'text'));
  }
  if (kind === 'sql' && !/^\s*(select|with)\b/i.test(query.text)) {
    problems.push(problem('select_only', {}, 'text'));
  }
  return problems;
}
