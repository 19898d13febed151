import { Decimal } from 'decimal.js';
import type { Answer, Choice, StandingAsk } from '../../src/core/entry/asks';
import { type Rollup } from '../../src/core/plan/schema';
import { tableChoices, type Narrowing } from '../../src/core/plan/choices';
import type { Condition } from '../../src/core/table/conditions';
import type { House } from '../../src/core/table/definition';
import { resolvePath } from '../../src/core/table/paths';
import type { Value } from '../../src/core/values/types';
import type { WiredForm } from '../../src/core/wiring/form';

export type WorldRow = { id: number } & Record<string, Value>;
export type World = Record<string, WorldRow[]>;

/** Answers asks from rows in memory, as the server does from the database. */
export function answerFrom(world: World, form: WiredForm, ask: StandingAsk): Answer {
  const wired = form.scopes.get(ask.grid)?.fields.get(ask.field);
  if (!wired) throw new Error(`no field ${ask.field}`);
  const { tables } = form;
  const { rollup } = wired.field;
  if (ask.kind === 'record') {
    const table = wired.type.kind === 'reference' ? wired.type.table : '';
    const row = world[table]?.find((r) => r.id === ask.current);
    const paths = [...wired.columns.keys()];
    const read = (r: WorldRow) =>
      paths.map((path) => [path, follow(world, tables, table, r, path)]);
    return { id: ask.id, record: row ? Object.fromEntries(read(row)) : null, took: 1 };
  }
  if (ask.kind === 'value' && rollup) {
    return { id: ask.id, value: aggregate(world, tables, rollup, ask.given), took: 1 };
  }
  const choices = tableChoices(wired.field);
  if (!choices) throw new Error(`no choices: ${ask.field}`);
  const all = world[choices.table] ?? [];
  const { conditions, narrowings } = choices;
  const offered = all.filter((r) =>
    matches(world, tables, choices.table, r, { conditions, narrowings }, ask.given),
  );
  const choice = (r: WorldRow): Choice => ({
    value: r.id,
    shown: choices.shown.map((p) => r[p] ?? null),
  });
  if (ask.kind === 'key') {
    const named = offered.find((r) => String(r[choices.typedBy ?? '']) === String(ask.current));
    return { id: ask.id, named: named ? choice(named) : null };
  }
  const current = offered.find((r) => r.id === ask.current);
  const known = all.find((r) => r.id === ask.current);
  return {
    id: ask.id,
    choices: offered.map(choice),
    next: null,
    found: offered.length,
    more: false,
    current: current ? choice(current) : null,
    known: known ? choice(known) : null,
  };
}

/** A reader over the world, for `settle`. */
export const readerOf =
  (world: World, form: WiredForm) =>
  async (asks: readonly StandingAsk[]): Promise<Answer[]> =>
    asks.map((ask) => answerFrom(world, form, ask));

function follow(world: World, tables: House, table: string, row: WorldRow, path: string): Value {
  const start = tables.get(table);
  const resolved = start && resolvePath(tables, start, path);
  let here: WorldRow | undefined = row;
  for (const { column, to } of resolved?.steps ?? []) {
    const id: Value = here?.[column.key] ?? null;
    here = world[to.key]?.find((r) => r.id === id);
  }
  return here?.[resolved?.column.key ?? ''] ?? null;
}

function matches(
  world: World,
  tables: House,
  table: string,
  row: WorldRow,
  { conditions, narrowings }: { conditions: Condition[]; narrowings: Narrowing[] },
  given: Readonly<Record<string, Value>>,
): boolean {
  const at = (path: string) => follow(world, tables, table, row, path);
  const narrowed = narrowings.every((n) => {
    const by = given[n.field] ?? null;
    return by === null || at(n.path) === by;
  });
  return narrowed && conditions.every((c) => c.values.some((value) => value === at(c.path)));
}

function aggregate(
  world: World,
  tables: House,
  rollup: Rollup,
  given: Readonly<Record<string, Value>>,
): Value {
  const rows = (world[rollup.table] ?? []).filter((r) =>
    matches(world, tables, rollup.table, r, rollup, given),
  );
  if (rollup.aggregate === 'count') return rows.length;
  const path = rollup.path ?? '';
  const numbers = rows.map(
    (r) => new Decimal(String(follow(world, tables, rollup.table, r, path))),
  );
  const sum = numbers.reduce((a, b) => a.plus(b), new Decimal(0));
  const table = tables.get(rollup.table);
  const type = table && resolvePath(tables, table, path)?.column.type;
  return type?.kind === 'decimal' ? sum.toFixed(type.scale) : sum.toNumber();
}
