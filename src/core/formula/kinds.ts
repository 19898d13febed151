import { say, spoken } from '../words/say';
/**
 * What is known of a formula's value before it is worked out. Every kind may also be absent (`null`),
 * as FEEL has it. The `rows` of a grid are a list whose members are given only where they are filled in,
 * so that a total does not wait for the last empty line.
 */
export type Kind =
  | { is: 'any' }
  | { is: 'nothing' }
  | { is: SimpleKind }
  | { is: 'list'; of: Kind; rows?: boolean }
  | { is: 'range'; of: Kind }
  | RecordKind;

export type SimpleKind =
  'yes_no' | 'number' | 'text' | 'date' | 'time' | 'date_time' | 'days' | 'months';

/** A record of a table, the row of a grid, or a context: what has members. */
export interface RecordKind {
  is: 'record';
  /** How it is called in sentences: `a record of Town`. */
  called: string;
  /** What tells whether two records can be the same: the table's key. */
  of: string;
  member: (key: string) => Kind | null;
  members: () => string[];
  /** The names that lead to it from the form; a read of a member is noted behind it. `null` where none do. */
  path: readonly string[] | null;
  /** What a member has chosen, where the member is a value and no record: the row of a query. */
  chosenAt?: (key: string) => RecordKind | null;
}

export const any: Kind = { is: 'any' };
export const nothing: Kind = { is: 'nothing' };
export const yesNo: Kind = { is: 'yes_no' };
export const number: Kind = { is: 'number' };
export const text: Kind = { is: 'text' };
export const date: Kind = { is: 'date' };
export const time: Kind = { is: 'time' };
export const dateTime: Kind = { is: 'date_time' };
export const days: Kind = { is: 'days' };
export const months: Kind = { is: 'months' };
export const listOf = (of: Kind): Kind => ({ is: 'list', of });

/** Whether a value of this kind can stand where `wanted` is asked for; the unknown and the absent always can. */
export function fits(kind: Kind, wanted: Kind): boolean {
  if (kind.is === 'any' || kind.is === 'nothing' || wanted.is === 'any') return true;
  if (wanted.is === 'list') return kind.is === 'list' ? fits(kind.of, wanted.of) : true;
  if (wanted.is === 'range') return kind.is === 'range' && fits(kind.of, wanted.of);
  if (wanted.is === 'record') return kind.is === 'record' && kind.of === wanted.of;
  return kind.is === wanted.is;
}

/** The kind that covers both; the unknown where they have nothing in common. */
export function join(a: Kind, b: Kind): Kind {
  if (a.is === 'nothing') return b;
  if (b.is === 'nothing') return a;
  if (a.is === 'list' && b.is === 'list') return listOf(join(a.of, b.of));
  if (a.is === 'range' && b.is === 'range') return { is: 'range', of: join(a.of, b.of) };
  if (a.is === 'record' && b.is === 'record') {
    return a.of === b.of && a.path?.join('.') === b.path?.join('.') ? a : any;
  }
  return a.is === b.is ? a : any;
}

/** A kind in words, with its article: `a number`, `a list of dates`. */
export function kindWords(kind: Kind): string {
  switch (kind.is) {
    case 'any':
      return say('something unknown');
    case 'nothing':
      return say('nothing');
    case 'list':
      return kind.of.is === 'any' ? say('a list') : say(`a list of ${plural(kind.of)}`);
    case 'range':
      return say('a range');
    case 'record':
      return kind.called;
    default:
      return say(`a ${simpleWords[kind.is]}`);
  }
}

const simpleWords: Record<SimpleKind, string> = spoken(() => ({
  yes_no: say('yes/no'),
  number: say('number'),
  text: say('text'),
  date: say('date'),
  time: say('time'),
  date_time: say('date with a time'),
  days: say('duration in days'),
  months: say('duration in months'),
}));

function plural(kind: Kind): string {
  switch (kind.is) {
    case 'record':
      return say('records');
    case 'list':
      return say('lists');
    case 'days':
    case 'months':
      return say('durations');
    case 'date_time':
      return say('dates with times');
    case 'yes_no':
      return say('yes/no values');
    case 'number':
      return say('numbers');
    case 'text':
      return say('texts');
    case 'date':
      return say('dates');
    case 'time':
      return say('times');
    default:
      return say('values');
  }
}
