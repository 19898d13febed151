import { type Field } from './schema';
import { tableChoices, type Choices, type Given, type Narrowing } from './choices';
import type { Value, ValueType } from '../values/types';

/** A field that a source waits for, and whether it is asked while that is empty (`everything`) or not (`nothing`). */
export type Awaited = Pick<Narrowing, 'field' | 'whileEmpty'>;

/**
 * Where something of a field comes from that is not in the form: its list, its value, or the columns of the
 * record that it has chosen. A table, an option list, a query outside and an aggregate all say the same of
 * themselves; who fills, reads or saves asks the source, and not what kind of field it is.
 */
export interface Source {
  /** What it gives. */
  gives: 'list' | 'value' | 'record';
  /** Who gives it: the database, an option list (which every screen has at hand), or a system outside. */
  from: 'table' | 'options' | 'outside';
  /** The fields under whose values it gives that. */
  awaits: readonly Awaited[];
  /** Of a list: the choice is taken where a single one is left. */
  takeOnly: boolean;
  /** What becomes of the form where it does not answer: it `stops`, or goes on as if there were nothing (`absent`). */
  whenFailed: 'stops' | 'absent';
}

/** The first field that a source waits for and that is empty, by the values of fields; `null` where it waits for none. */
export function awaitedBy(
  source: Source | null,
  valueOf: (field: string) => Value | undefined,
): string | null {
  const empty = source?.awaits.find(
    ({ field, whileEmpty }) => whileEmpty === 'nothing' && (valueOf(field) ?? null) === null,
  );
  return empty?.field ?? null;
}

/** What a field is given from elsewhere. */
export interface Sources {
  list: Source | null;
  value: Source | null;
  record: Source | null;
}

/** The sources of a field that holds values of a type. */
export function sourcesOf(field: Field, type: ValueType): Sources {
  return {
    list: listSource(field.choices),
    value: valueSource(field),
    record: recordSource(field, type),
  };
}

/** The source of a list; `null` where the plan itself lists what can be chosen, or nothing is. */
export function listSource(choices: Choices | null): Source | null {
  switch (choices?.kind) {
    case 'table':
      return { ...fromTable('list', choices.narrowings), takeOnly: choices.takeOnly };
    case 'outside':
      return { ...fromOutside('list', choices.given), takeOnly: choices.takeOnly };
    case 'options': {
      const awaits: Awaited[] =
        choices.by === null ? [] : [{ field: choices.by, whileEmpty: 'nothing' }];
      return { gives: 'list', from: 'options', awaits, takeOnly: false, whenFailed: 'stops' };
    }
    default:
      return null;
  }
}

/** The source of a value that nobody types: an aggregate over a table, or a query outside. */
export function valueSource({ rollup, outside }: Field): Source | null {
  if (rollup) return fromTable('value', rollup.narrowings);
  return outside && fromOutside('value', outside.given);
}

/** The source of the columns of a chosen record: its table, or the query that its row is from. */
function recordSource(field: Field, type: ValueType): Source | null {
  if (field.choices?.kind === 'outside') return fromOutside('record', field.choices.given);
  return type.kind === 'reference' || tableChoices(field) ? fromTable('record', []) : null;
}

function fromTable(gives: Source['gives'], awaits: readonly Awaited[]): Source {
  return { gives, from: 'table', awaits, takeOnly: false, whenFailed: 'stops' };
}

function fromOutside(gives: Source['gives'], given: readonly Given[]): Source {
  const awaits = given.map(({ field, optional }): Awaited => {
    return { field, whileEmpty: optional ? 'everything' : 'nothing' };
  });
  return { gives, from: 'outside', awaits, takeOnly: false, whenFailed: 'absent' };
}
