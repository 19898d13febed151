import { z } from 'zod';
import { codePattern, longestCode } from './code';

const key = z.string().regex(/^[a-z][a-z0-9_]*$/);

/** One fixed option of an option column: what is stored and what is shown. */
export const optionSchema = z.strictObject({
  value: z.string().min(1).max(100),
  label: z.string().min(1).max(200),
});
export type Option = z.infer<typeof optionSchema>;

/** Formats of a short text. */
export const textFormats = ['plain', 'email', 'url', 'phone'] as const;
export type TextFormat = (typeof textFormats)[number];

/** The longest short text, in characters. */
export const longestText = 255;
/** The longest long text, in characters. */
export const longestLongText = 1_000_000;

/**
 * What a column or a field holds. Values are kept in canonical form everywhere but on the screen:
 * text, decimals, dates (`2027-03-01`), times of day (`14:30:00`) and moments in UTC
 * (`2027-03-01T14:30:00Z`) as strings, whole
 * numbers and record ids as numbers, yes/no as booleans, absent as `null`.
 */
export const valueTypeSchema = z.discriminatedUnion('kind', [
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
  z.strictObject({ kind: z.literal('option'), options: z.array(optionSchema).min(1).max(500) }),
  z.strictObject({ kind: z.literal('reference'), table: key }),
  z.strictObject({
    kind: z.literal('code'),
    pattern: z.string().max(longestCode).regex(codePattern, 'write it like L-{yyyy}-{0000}'),
  }),
]);
export type ValueType = z.infer<typeof valueTypeSchema>;
export type ValueKind = ValueType['kind'];

/** A single value in canonical form. */
export type Value = string | number | boolean | null;
export const valueSchema = z.union([z.string(), z.number(), z.boolean(), z.null()]);

/** Plain text of full length: what an untyped working field holds. */
export const plainText: ValueType = { kind: 'text', format: 'plain', length: longestText };

/** The name of a kind as people read it. */
export const kindNames: Record<ValueKind, string> = {
  text: 'short text',
  long_text: 'long text',
  whole: 'whole number',
  decimal: 'decimal',
  yes_no: 'yes/no',
  date: 'date',
  time: 'time',
  date_time: 'date and time',
  option: 'option',
  reference: 'reference',
  code: 'code, numbered by itself',
};

/** The type in a short phrase: `decimal (10, 2)`, `reference to town`. */
export function typePhrase(type: ValueType): string {
  switch (type.kind) {
    case 'text':
      return type.format === 'plain'
        ? `short text (${type.length})`
        : { email: 'e-mail', url: 'web address', phone: 'phone' }[type.format];
    case 'decimal':
      return `decimal (${type.precision}, ${type.scale})`;
    case 'option':
      return `option (${type.options.length})`;
    case 'reference':
      return `reference to ${type.table}`;
    case 'code':
      return `code (${type.pattern})`;
    default:
      return kindNames[type.kind];
  }
}

/** Whether two types hold values that can be compared with one another. */
export function comparable(a: ValueType, b: ValueType): boolean {
  if (a.kind === 'reference' || b.kind === 'reference') {
    return a.kind === 'reference' && b.kind === 'reference' && a.table === b.table;
  }
  return family(a.kind) === family(b.kind);
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
