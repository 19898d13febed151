import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  lendingPlan,
  lendingTables,
  lendingWorld,
  linesPlan,
} from '../../../tests/support/lending';
import { answerFrom, readerOf } from '../../../tests/support/world';
import type { Value } from '../values/types';
import { wireForm } from '../wiring/form';
import type { Answer } from './asks';
import { Entry } from './entry';
import { settle } from './settle';

const around = { clock: { today: () => '2027-03-01', now: () => '2027-03-01T09:00:00Z' } };
const world = lendingWorld();

type Change = { key: string; value: Value; answers: number; reversed: boolean };

const offered: Record<string, Value[]> = {
  region: [null, 1, 2, 3],
  town: [null, 11, 12, 13],
  ensemble: [null, 21, 22, 23],
  score: [null, 31, 32, 99],
  copies: [null, 1, 2, 25],
  weeks: [null, 4, 12],
  contact: [null, 'Somebody'],
  due_on: [null, '2027-06-01'],
  reason: [null, 'A tour'],
};

const change: fc.Arbitrary<Change> = fc.constantFrom(...Object.keys(offered)).chain((key) =>
  fc.record({
    key: fc.constant(key),
    value: fc.constantFrom(...(offered[key] ?? [])),
    answers: fc.nat(4),
    reversed: fc.boolean(),
  }),
);

describe('whatever the order of changes and of answers', () => {
  it('the settled form is that of a fresh entry given what people have set', async () => {
    const form = wireForm(lendingPlan(), lendingTables);
    await fc.assert(
      fc.asyncProperty(fc.array(change, { maxLength: 14 }), async (changes) => {
        const entry = new Entry(form, { mode: 'new', around });
        const late: Answer[] = [];
        for (const { key, value, answers, reversed } of changes) {
          entry.set(key, value);
          late.push(...entry.asks().map((ask) => answerFrom(world, form, ask)));
          const some = late.splice(0, answers);
          entry.answer(reversed ? some.reverse() : some);
        }
        entry.answer(late.reverse());
        await settle(entry, readerOf(world, form));
        expect(entry.asks()).toEqual([]);

        const own = entry.own();
        const begun = new Entry(form, {
          mode: 'new',
          around,
          own,
          values: { ...initials(form), ...entry.values() },
        });
        await settle(begun, readerOf(world, form));
        expect(begun.values()).toEqual(entry.values());
        expect(begun.problems()).toEqual(entry.problems());
        for (const key of form.fields.keys()) expect(entry.cell(key).unsure, key).toBe(false);
      }),
      { numRuns: 300 },
    );
  });

  it('answers in any order, cut into any pieces, lead to the same rows and totals', async () => {
    const form = wireForm(linesPlan(), lendingTables);
    const line = fc.record({
      score: fc.constantFrom<Value>(null, 31, 32),
      copies: fc.constantFrom<Value>(1, 2, 5),
      stays: fc.boolean(),
    });
    await fc.assert(
      fc.asyncProperty(
        fc.array(line, { maxLength: 8 }),
        fc.integer({ min: 1, max: 3 }),
        async (lines, piece) => {
          const entry = new Entry(form, { mode: 'new', around });
          const rows = lines.map((values) => entry.addRow('lines', { values }));
          rows.forEach((row, i) => lines[i]?.stays === false && entry.removeRow(row));
          while (entry.asks().length > 0) {
            const answers = entry.asks().map((ask) => answerFrom(world, form, ask));
            entry.answer(answers.reverse().slice(0, piece));
          }
          const fresh = new Entry(form, {
            mode: 'new',
            around,
            rows: {
              lines: entry
                .rows('lines')
                .map((row) => ({ key: row.key, values: entry.values(row) })),
            },
          });
          await settle(fresh, readerOf(world, form));
          expect(fresh.values()).toEqual(entry.values());
          expect(fresh.rows('lines').map((row) => fresh.values(row))).toEqual(
            entry.rows('lines').map((row) => entry.values(row)),
          );
        },
      ),
      { numRuns: 150 },
    );
  });
});

function initials(form: ReturnType<typeof wireForm>): Record<string, Value> {
  return Object.fromEntries([...form.fields].map(([key, { field }]) => [key, field.initial]));
}
