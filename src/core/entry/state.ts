import { z } from 'zod';
import { askedChoices, optionChoices } from '../plan/schema';
import { valueSchema, type Value } from '../values/types';
import type { Cell } from './cell';
import type { HostState } from './host-state';
import type { Life } from './life';

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

type HostWire = z.infer<z.ZodObject<typeof hostShape>>;
export type RowState = z.infer<typeof rowStateSchema>;

/** A state that goes out: of the form itself with the rows of all its grids. */
export interface EntryState extends HostWire {
  values: Record<string, Value>;
  own: string[];
  link: Record<string, string>;
  based: boolean;
  away: string[];
  rows: Record<string, (RowState & { key: string; values: Record<string, Value> })[]>;
}

/** What somebody has put into the form itself, as a request carries it. */
export function sentPart({ values, own, texts, link }: EntryState) {
  return { values, own, ...(texts ? { texts } : {}), link };
}

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

/** The state of an entry, whole, or with some of its rows. */
export function stateOf(life: Life, meant: (row: HostState) => boolean = () => true): EntryState {
  const rows = [...life.rows].map(([grid, list]) => [
    grid,
    list.filter(meant).map((row) => ({
      ...hostStateOf(life, row),
      key: row.key,
      ...(row.stored ? { id: row.stored.id } : {}),
      ...(row.scope.within === null ? {} : { of: row.parent?.key ?? '' }),
    })),
  ]);
  return {
    ...hostStateOf(life, life.root),
    link: { ...life.around.link },
    based: life.root.based,
    away: [...life.form.graph.there.keys()].filter((grid) => !life.there(grid).holds),
    rows: Object.fromEntries(rows),
  };
}

function hostStateOf(life: Life, host: HostState) {
  const values: Record<string, Value> = {};
  const own: string[] = [];
  const hidden: string[] = [];
  const changed: string[] = [];
  const came: string[] = [];
  const unsure: string[] = [];
  const brought: Record<string, Value> = {};
  const unconfirmed: string[] = [];
  const under: Record<string, string> = {};
  const texts: Record<string, string> = {};
  for (const cell of host.cells) {
    const { key: name } = cell.wired.field;
    values[name] = cell.value;
    if (cell.own) own.push(name);
    if (cell.unsure) unsure.push(name);
    if (cell.unsure && cell.broughtFor !== undefined) brought[name] = cell.broughtFor;
    if (cell.hidden) hidden.push(name);
    if (host.based && cell.isChanged()) changed.push(name);
    if (cell.asGiven && cell.value !== null && hasChoices(cell)) came.push(name);
    if (cell.unconfirmed) unconfirmed.push(name);
    if (cell.asGiven && cell.narrowedTo !== null && !life.isSure(cell))
      under[name] = cell.narrowedTo;
    const text = pendingText(cell);
    if (text !== null) texts[name] = text;
  }
  const some = <T extends object>(name: string, part: T) =>
    Object.keys(part).length > 0 ? { [name]: part } : {};
  return {
    ...{ values, own },
    ...some('texts', texts),
    ...some('unconfirmed', unconfirmed),
    ...some('under', under),
    ...some('unsure', unsure),
    ...some('brought', brought),
    ...some('hidden', hidden),
    ...some('changed', changed),
    ...some('came', came),
  };
}

/** What stands in a field and is no value: it could not be read, or is being looked up. */
export function pendingText(cell: Cell): string | null {
  return cell.derived ? null : (cell.rejected?.text ?? cell.keyText);
}

function hasChoices({ wired: { field } }: Cell): boolean {
  return askedChoices(field) !== null || optionChoices(field) !== null;
}
