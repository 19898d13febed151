import { say, spoken } from '../words/say';
import { z } from 'zod';
import { codePattern, longestCode } from './code';
import { filesTypeSchema, kindsText, keptFileSchema, type KeptFile } from './files';

const key = z.string().regex(/^[a-z][a-z0-9_]*$/);

/** Tones that an option can have besides its word; the look gives each a colour in light and dark. */
export const optionTones = ['navy', 'marigold', 'moss', 'crimson', 'slate'] as const;

/** One option: what is stored and what is shown. */
export const optionSchema = z.strictObject({
  value: z.string().min(1).max(100),
  label: z.string().min(1).max(200),
  tone: z.enum(optionTones).optional(),
  /** Not offered any more; records that have it stay readable. */
  retired: z.boolean().optional(),
  /** The value of another list to which it belongs. */
  of: z.string().max(100).optional(),
});
export type Option = z.infer<typeof optionSchema>;

/** At most so many options stand together. */
export const mostOptions = 2000;

/** Formats of a short text. */
export const textFormats = ['plain', 'email', 'url', 'phone'] as const;

/** The longest short text, in characters. */
export const longestText = 255;
/** The longest long text, in characters. */
export const longestLongText = 1_000_000;

/** Types of a single value that stands for itself. */
const plainTypes = [
  z.strictObject({
    kind: z.literal('text'),
    format: z.enum(textFormats).default('plain'),
    length: z.number().int().min(1).max(longestText).default(longestText),
  }),
  z.strictObject({ kind: z.literal('long_text') }),
  z.strictObject({ kind: z.literal('whole') }),
  z
    .strictObject({
      kind: z.literal('decimal'),
      precision: z.number().int().min(1).max(38),
      scale: z.number().int().min(0).max(20),
    })
    .refine((t) => t.scale <= t.precision, { message: 'more decimal places than digits' }),
  z.strictObject({ kind: z.literal('yes_no') }),
  z.strictObject({ kind: z.literal('date') }),
  z.strictObject({ kind: z.literal('time') }),
  z.strictObject({ kind: z.literal('date_time') }),
  z.strictObject({ kind: z.literal('duration') }),
  z
    .strictObject({
      kind: z.literal('option'),
      /** Of an option list: as the list has them now. */
      options: z.array(optionSchema).max(mostOptions),
      /** The option list that they are taken from; without one they are the column's own. */
      list: key.max(48).optional(),
    })
    .refine((t) => t.list !== undefined || t.options.length > 0, { message: 'no options' }),
] as const;
export const plainTypeSchema = z.discriminatedUnion('kind', plainTypes);
export type PlainType = z.infer<typeof plainTypeSchema>;

/** At most so many columns in rows that are kept inside a record. */
export const mostRowColumns = 12;
/** At most so many rows, and so many linked records, in one value. */
export const mostMembers = 1000;

/** A column of rows that are kept inside a record. */
export const rowColumnSchema = z.strictObject({
  key: key.max(48),
  label: z.string().trim().min(1).max(200),
  type: plainTypeSchema,
  required: z.boolean().default(false),
});
export type RowColumn = z.infer<typeof rowColumnSchema>;

/**
 * What a column or a field holds. Values are kept in canonical form everywhere but on the screen:
 * text, decimals, dates (`2027-03-01`), times of day (`14:30:00`), moments in UTC
 * (`2027-03-01T14:30:00Z`) and durations (`P1DT2H30M`) as strings, whole numbers and record ids as numbers, yes/no as booleans,
 * several references as an array of ids, rows and files as arrays of objects, absent as `null`.
 */
export const valueTypeSchema = z.discriminatedUnion('kind', [
  ...plainTypes,
  z.strictObject({ kind: z.literal('reference'), table: key }),
  z.strictObject({
    kind: z.literal('references'),
    table: key,
    /** The column of that table whose links these are, seen from their other side. */
    mirrors: key.nullable().default(null),
  }),
  z.strictObject({
    kind: z.literal('rows'),
    columns: z.array(rowColumnSchema).min(1).max(mostRowColumns),
  }),
  filesTypeSchema,
  z.strictObject({
    kind: z.literal('code'),
    pattern: z.string().max(longestCode).regex(codePattern, 'write it like L-{yyyy}-{0000}'),
  }),
]);
export type ValueType = z.infer<typeof valueTypeSchema>;
export type ValueKind = ValueType['kind'];

/** A single value in canonical form. */
export type Scalar = string | number | boolean | null;
export const scalarSchema = z.union([z.string(), z.number(), z.boolean(), z.null()]);

/** One row of rows that are kept inside a record. */
export type KeptRow = Readonly<Record<string, Scalar>>;

/** A value in canonical form: a single one, the ids of several records, or rows. */
export type Value = Scalar | readonly number[] | readonly KeptRow[];
export const valueSchema = z.union([
  scalarSchema,
  z.array(z.number()).readonly(),
  z.array(z.record(z.string(), scalarSchema).readonly()).readonly(),
]);

/** Whether two canonical values are the same. */
export function sameValue(a: Value, b: Value): boolean {
  if (a === b) return true;
  return Array.isArray(a) && Array.isArray(b) && JSON.stringify(a) === JSON.stringify(b);
}

/** The ids of the records that a value links to. */
export function idsOf(value: Value): readonly number[] {
  return Array.isArray(value) ? value.filter((id) => typeof id === 'number') : [];
}

/** The ids of the records to which a value refers, once or several times. */
export function referredIds(value: Value): readonly number[] {
  return typeof value === 'number' ? [value] : idsOf(value);
}

/** The rows that a value holds. */
export function rowsIn(value: Value): readonly KeptRow[] {
  return Array.isArray(value) ? value.filter((row) => typeof row === 'object') : [];
}

/** The files that a value names. */
export function filesIn(value: Value): readonly KeptFile[] {
  return rowsIn(value).flatMap((row) => {
    const read = keptFileSchema.safeParse(row);
    return read.success ? [read.data] : [];
  });
}

/** Plain text of full length: what an untyped working field holds. */
export const plainText: PlainType = { kind: 'text', format: 'plain', length: longestText };

/** The name of a kind as people read it. */
export const kindNames: Record<ValueKind, string> = spoken(() => ({
  text: say('short text'),
  long_text: say('long text'),
  whole: say('whole number'),
  decimal: say('decimal'),
  yes_no: say('yes/no'),
  date: say('date'),
  time: say('time'),
  date_time: say('date and time'),
  duration: say('duration'),
  option: say('option'),
  reference: say('reference'),
  references: say('references, several'),
  rows: say('rows kept in the record'),
  files: say('files'),
  code: say('code, numbered automatically'),
}));

/** Tables and option lists by their keys, as people call them. */
interface Titled {
  get: (table: string) => { title: string } | undefined;
  lists: { get: (list: string) => { title: string } | undefined };
}

/** The type in a short phrase: `decimal (10, 2)`, `reference to Town`; by keys where no house is given. */
export function typePhrase(type: ValueType, house?: Titled): string {
  const table = (key: string) => house?.get(key)?.title ?? key;
  switch (type.kind) {
    case 'text':
      return type.format === 'plain'
        ? say(`short text (${type.length})`)
        : { email: 'e-mail', url: say('web address'), phone: 'phone' }[type.format];
    case 'decimal':
      return say(`decimal (${type.precision}, ${type.scale})`);
    case 'option':
      return type.list
        ? say(`option of ${house?.lists.get(type.list)?.title ?? type.list}`)
        : say(`option (${type.options.length})`);
    case 'reference':
      return say(`reference to ${table(type.table)}`);
    case 'references':
      return say(`references to ${table(type.table)}`);
    case 'rows':
      return say(`rows (${type.columns.map((c) => c.label).join(', ')})`);
    case 'files': {
      const kinds = kindsText(type.kinds);
      return kinds === '' ? kindNames.files : say(`files (${kinds})`);
    }
    case 'code':
      return say(`code (${type.pattern})`);
    default:
      return kindNames[type.kind];
  }
}

/** Whether two types hold values that can be compared with one another. */
export function comparable(a: ValueType, b: ValueType): boolean {
  if (isLink(a) || isLink(b)) return isLink(a) && isLink(b) && a.table === b.table;
  return family(a.kind) === family(b.kind);
}

/** Whether a type holds one record of a table, or several. */
export function isLink(type: ValueType): type is Extract<ValueType, { table: string }> {
  return type.kind === 'reference' || type.kind === 'references';
}

/** Whether a type holds numbers. */
export function isNumeric(type: ValueType | null | undefined): boolean {
  return type?.kind === 'whole' || type?.kind === 'decimal';
}

/** Whether a type holds what can be summed, numbers and durations: it stands to the right. */
export function isAmount(type: ValueType | null | undefined): boolean {
  return isNumeric(type) || type?.kind === 'duration';
}

/** The types that a column can be given without saying more, each as it is made. */
export const simpleTypes: readonly PlainType[] = [
  plainText,
  { kind: 'long_text' },
  { kind: 'whole' },
  { kind: 'decimal', precision: 12, scale: 2 },
  { kind: 'yes_no' },
  { kind: 'date' },
  { kind: 'time' },
  { kind: 'date_time' },
  { kind: 'duration' },
];

/** Whether a type holds more than one value. */
export function severalIn(type: ValueType): boolean {
  return type.kind === 'references' || type.kind === 'rows' || type.kind === 'files';
}

function family(kind: ValueKind): string {
  switch (kind) {
    case 'text':
    case 'long_text':
    case 'option':
    case 'code':
      return 'text';
    case 'whole':
    case 'decimal':
      return 'number';
    default:
      return kind;
  }
}

/** The options that can be chosen now; one that was chosen before stays among them. */
export function offeredOptions(options: readonly Option[], current: Value): Option[] {
  return options.filter((option) => !option.retired || option.value === current);
}

/** The tone of a chosen option, if it has one. */
export function toneOf(type: ValueType, value: Value): Option['tone'] {
  return type.kind === 'option' ? type.options.find((o) => o.value === value)?.tone : undefined;
}
