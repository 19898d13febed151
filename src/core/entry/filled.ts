import { z } from 'zod';
import { valueSchema, type Value } from '../values/types';

const key = z.string().min(1).max(48);
const keys = z.array(key).max(1000);

/** The state of the form itself, or of one row, as it travels between screen, server and draft. */
const hostShape = {
  /** Values in canonical form, by field. */
  values: z.record(z.string(), z.unknown()),
  /** The fields that a person has set; where nothing is said, all that are given. */
  own: keys.optional(),
  /** What stands in fields and is no value yet, as it was typed. */
  texts: z.record(key, z.string().max(100_000)).optional(),
  /** Fields that follow from something that is still being read. */
  unsure: keys.optional(),
  /** The records for which values were brought last, where another is chosen by now. */
  brought: z.record(key, valueSchema).optional(),
  /** Fields that are not shown. */
  hidden: keys.optional(),
  /** Fields that are another than in the record, or follow from one that is. */
  changed: keys.optional(),
  /** Fields whose value came as it is: not offered, it is marked and not cleared. */
  came: keys.optional(),
  /** Fields whose value is not known to be offered: not offered, it is cleared. */
  unconfirmed: keys.optional(),
  /** The values under which fields were offered their choices, where those are being read again, as JSON. */
  under: z.record(key, z.string().max(10_000)).optional(),
};

/** A row of a grid in its state. */
export const rowStateSchema = z.strictObject({
  ...hostShape,
  key: z.string().max(64).optional(),
  /** The stored record that it goes on with. */
  id: z.number().int().min(1).optional(),
  /** The key of the row that it stands in, for a grid within another. */
  of: z.string().max(64).optional(),
});

/** What a link's address carries into an entry. */
export const linkSchema = z.record(z.string().max(100), z.string().max(2000));

/**
 * The whole state of an entry. What somebody has put in (values, own, texts, rows, link) is all that a
 * save needs: the rest follows from it and from the record. What has followed so far, and what has not
 * yet, lets a draft that was left in the middle and a server that is asked from there go on like the screen.
 */
export const stateShape = {
  ...hostShape,
  link: linkSchema.optional(),
  /** Whether it goes on with a record. */
  based: z.boolean().optional(),
  /** The grids that are not there. */
  away: keys.optional(),
};

/** What somebody has put into a form, without its rows. */
export const entryShape = {
  values: hostShape.values,
  own: hostShape.own,
  texts: hostShape.texts,
  link: linkSchema.optional(),
};

/** The state of the form itself, or of one row, on its way. */
export type HostWire = z.infer<z.ZodObject<typeof hostShape>>;
export type RowState = z.infer<typeof rowStateSchema>;

/** What somebody made of an entry; of an opened one, a row that is not among the rows was taken out. */
export interface Filled extends HostFilled {
  rows?: Readonly<Record<string, readonly FilledRow[]>> | undefined;
}

export interface HostFilled {
  values: Readonly<Record<string, unknown>>;
  own?: readonly string[] | undefined;
  hidden?: readonly string[] | undefined;
  unsure?: readonly string[] | undefined;
  unconfirmed?: readonly string[] | undefined;
  brought?: Readonly<Record<string, Value>> | undefined;
  under?: Readonly<Record<string, string>> | undefined;
  texts?: Readonly<Record<string, string>> | undefined;
}

/** A row as it was filled: of a stored record (`id`), or a new one. */
export interface FilledRow extends HostFilled {
  key?: string | undefined;
  id?: number | undefined;
  of?: string | undefined;
}
