import type { Match } from '$lib/core/contract/answers';
import type { TableChoices } from '$lib/core/plan/choices';
import { lookup } from '$lib/core/plan/draft';
import { isUnique, type House } from '$lib/core/table/definition';
import { num, say } from '$lib/core/words/say';
import { comparable, type ValueType } from '$lib/core/values/types';

/** Something that a field's value can come from. */
export interface Origin {
  /** What is chosen, in the terms of the band: `table:score`, `options:genre`, `formula`. */
  word: string;
  /** The heading under which it stands. */
  group: string;
  label: string;
  /** What it is, or what speaks for it, in a few words. */
  says: string;
  /** The data speak for it: the column whose values these are. */
  match?: Match;
}

interface Around {
  tables: House;
  /** The fields whose chosen record can be read. */
  lookups: readonly { key: string; label: string }[];
  /** What the data speak for. */
  matches: readonly Match[];
  /** The field that brings the value along; `null` where none does. */
  broughtBy: string | null;
}

/** Everything that a field's value can come from, what the data speak for first. */
export function originsOf({ tables, lookups, matches, broughtBy }: Around): Origin[] {
  const byHand = broughtBy ? say(`${broughtBy} brings it`) : say('A person types it');
  return [
    ...matches.map((match): Origin => {
      const table = tables.get(match.table);
      const column = table?.columns.find(({ key }) => key === match.column);
      return {
        word: `match:${match.table}.${match.column}`,
        group: say('The data suggest'),
        label: say(`${table?.title ?? ''} by ${column?.label ?? ''}`),
        says: evidenceOf(match),
        match,
      };
    }),
    { word: '', group: say('By hand'), label: byHand, says: '' },
    {
      word: 'values',
      group: say('By hand'),
      label: say('One of a few values'),
      says: say('typed here'),
    },
    ...[...tables.lists.values()].map(({ key, title, values }) => ({
      word: `options:${key}`,
      group: say('From an option list'),
      label: title,
      says: say(`${num(values.length)} options`),
    })),
    ...[...tables.values()].map(({ key, title }) => ({
      word: `table:${key}`,
      group: say('From a table'),
      label: title,
      says: say('choose a record'),
    })),
    ...lookups.map(({ key, label }) => ({
      word: `columns:${key}`,
      group: say('From this form'),
      label: say(`A column of ${label}`),
      says: say('choose which one to read'),
    })),
    ...[...tables.queries.values()].flatMap(({ key, title }) => [
      {
        word: `outside:${key}`,
        group: say('From outside'),
        label: title,
        says: say('choose a row'),
      },
      { word: `value:${key}`, group: say('From outside'), label: title, says: say('read a value') },
    ]),
    { word: 'formula', group: say('Computed'), label: say('A formula'), says: '' },
    ...[...tables.values()].map(({ key, title }) => ({
      word: `rollup:${key}`,
      group: say('Computed'),
      label: say(`A total of ${title}`),
      says: say('sum, count, least, greatest …'),
    })),
  ];
}

/** What speaks for a match: how many of the values are found. */
export function evidenceOf({ values, matching }: Match): string {
  return values === matching
    ? say(`all ${num(values)} values are found there`)
    : say(`${num(matching)} of ${num(values)} values are found there`);
}

/** The records of a table as choices, kept as a link, or copied, whichever the held type can take. */
export function choicesFitting(table: string, tables: House, holds: ValueType): TableChoices {
  const found = lookup(table, tables);
  if (holds.kind === 'reference') return found;
  const columns = tables.get(table)?.columns ?? [];
  const fitting = columns.filter(({ type }) => comparable(type, holds));
  const copied = fitting.find(isUnique) ?? fitting.find(({ key }) => found.shown.includes(key));
  return copied ? copying(found, copied.key) : found;
}

/** The choices of a match: the key is stored, as the column has it already. */
export function choicesOfMatch({ table, column }: Match, tables: House): TableChoices {
  return copying(lookup(table, tables), column);
}

function copying(found: TableChoices, column: string): TableChoices {
  const shown = found.shown.includes(column) ? found.shown : [column, ...found.shown];
  return { ...found, shown, stores: { kind: 'copy', column } };
}
