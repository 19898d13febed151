import fc from 'fast-check';
import { beforeAll, describe, expect, it } from 'vitest';
import type { Answer, Choice, StandingAsk } from '../../src/core/entry/asks';
import { isLink, type Value } from '../../src/core/values/types';
import { wireForm, type WiredForm } from '../../src/core/wiring/form';
import { loadTables } from '../../src/server/catalog/tables';
import { databaseReader } from '../../src/server/records/answers';
import { field, lookupOf, planOf } from '../support/definitions';
import { makeLending, useDatabase } from '../support/house';
import { lendingPlan, lendingTables, lendingWorld } from '../support/lending';
import { answerFrom } from '../support/world';

const held = useDatabase('t_world');
let id: (table: string, known: number) => number;
let form: WiredForm;
let read: (ask: StandingAsk) => Promise<Answer | undefined>;

const world = lendingWorld();
/** Every kind of ask that the engine's own tests make, and a key that is typed. */
const plan = lendingPlan();
const [section] = plan.sections;
const fields = [
  ...(section?.fields ?? []),
  field('typed', { choices: lookupOf('score', { typedBy: 'code' }) }),
];
const whole = planOf('loan', fields);

beforeAll(async () => {
  id = await makeLending(held.db);
  const tables = await loadTables(held.db);
  form = wireForm(whole, tables);
  const reader = databaseReader(held.db, held.db.knex, tables, form);
  read = async (ask) => (await reader([ask]))[0];
});

/** The table whose records a field holds; `''` for other fields. */
function tableOf(key: string): string {
  const type = wireForm(whole, lendingTables).fields.get(key)?.type;
  return type && isLink(type) ? type.table : '';
}

/** A value of a field with the id that its record has in the database. */
function inDatabase(key: string, value: Value): Value {
  const table = tableOf(key);
  if (table === '' || typeof value !== 'number') return value;
  return id(table, value) || 987_654;
}

/** An answer of the database with the ids of the world, and only what is said of the same thing. */
function comparable(ask: StandingAsk, answer: Answer | undefined, back: (v: Value) => Value) {
  if (!answer || 'failed' in answer) return answer;
  const choice = (one: Choice | null | undefined) =>
    one ? { value: back(one.value), shown: one.shown } : null;
  if ('choices' in answer) {
    const offered = answer.choices.map((one) => choice(one));
    const known = choice(answer.known);
    const current = choice(answer.current);
    return { offered: offered.sort(byText), found: answer.found, current, known: current ?? known };
  }
  if ('named' in answer) return { named: answer.named && choice(answer.named) };
  return 'record' in answer ? { record: answer.record } : { value: answer.value };
}

const byText = (a: unknown, b: unknown) => (JSON.stringify(a) < JSON.stringify(b) ? -1 : 1);

const idsOf = (key: string) => [...(world[tableOf(key)] ?? []).map((row) => row.id), 999, null];

/** An ask of a field, under values that stand there or do not. */
const anyAsk: fc.Arbitrary<StandingAsk> = fc
  .constantFrom(
    ...(['region', 'town', 'ensemble', 'score'] as const).map((f) => ['list', f] as const),
    ...(['ensemble'] as const).map((f) => ['record', f] as const),
    ...(['received', 'lent'] as const).map((f) => ['value', f] as const),
    ['key', 'typed'] as const,
  )
  .chain(([kind, key]) => {
    const names = wireForm(whole, lendingTables).fields.get(key)?.narrowedBy ?? [];
    const given = fc.record(
      Object.fromEntries(names.map((name) => [name, fc.constantFrom(...idsOf(name))])),
    );
    const current: fc.Arbitrary<Value> =
      kind === 'key'
        ? fc.constantFrom('S-1', '0042', 'S-2', '42')
        : kind === 'value'
          ? fc.constant(null)
          : fc.constantFrom(...idsOf(key).filter((one) => kind === 'list' || one !== null));
    return fc.record({ given, current }).map((more) => {
      return { id: 'x', kind, field: key, grid: '', row: null, cause: null, ...more };
    });
  });

describe('the world in memory, on which the engine is tested, is a fair stand-in', () => {
  it('answers any ask as the database does', async () => {
    await fc.assert(
      fc.asyncProperty(anyAsk, async (ask) => {
        const table = tableOf(ask.field);
        const known = new Map((world[table] ?? []).map((row) => [id(table, row.id), row.id]));
        const back = (value: Value) =>
          typeof value === 'number' ? (known.get(value) ?? value) : value;
        const asked: StandingAsk = {
          ...ask,
          given: Object.fromEntries(
            Object.entries(ask.given).map(([name, value]) => [name, inDatabase(name, value)]),
          ),
          current: inDatabase(ask.field, ask.current),
        };
        const there = comparable(ask, await read(asked), back);
        const here = comparable(
          ask,
          answerFrom(world, wireForm(whole, lendingTables), ask),
          (v) => v,
        );
        expect(there).toEqual(here);
      }),
      { numRuns: 150 },
    );
  });
});
