import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { readFormula } from '../formula/reading';
import {
  dayUnits,
  formulaOf,
  operandFormula,
  operandOf,
  sentenceOf,
  type Clause,
  type Operand,
} from './sentences';

const name = fc.constantFrom('copies', 'on_hand', 'damage', 'lent_on');
const path = fc
  .tuple(name, fc.constantFrom(null, 'pages', 'made_at'))
  .map(([first, second]) => (second === null ? [first] : [first, second]));
const day = fc
  .date({ min: new Date('1990-01-01'), max: new Date('2090-01-01'), noInvalidDate: true })
  .map((date) => date.toISOString().slice(0, 10));
const operand: fc.Arbitrary<Operand> = fc.oneof(
  fc.record({ kind: fc.constant('text' as const), value: fc.string() }),
  fc.record({
    kind: fc.constant('number' as const),
    value: fc.integer({ min: -9999, max: 9999 }).map(String),
  }),
  fc.record({ kind: fc.constant('yes_no' as const), value: fc.boolean() }),
  fc.record({ kind: fc.constant('date' as const), value: day }),
  fc.record({ kind: fc.constant('name' as const), path }),
  fc
    .record({ plus: fc.integer({ min: -60, max: 60 }), unit: fc.constantFrom(...dayUnits) })
    // So many weeks are told as weeks, and none at all is today.
    .map(({ plus, unit }): Operand => {
      if (plus === 0) return { kind: 'today', plus: 0, unit: 'days' };
      if (unit === 'days' && plus % 7 === 0)
        return { kind: 'today', plus: plus / 7, unit: 'weeks' };
      return { kind: 'today', plus, unit };
    }),
);
const clause: fc.Arbitrary<Clause> = fc.oneof(
  fc.record({
    path,
    compares: fc.constantFrom('=', '!=', '<=', '>=', '<', '>', 'contains', 'starts with'),
    to: operand,
  }),
  fc.record({ path, compares: fc.constantFrom('empty', 'filled'), to: fc.constant(null) }),
  path.map((of) => ({
    path: of,
    compares: '=' as const,
    to: { kind: 'yes_no' as const, value: true },
    plain: true as const,
  })),
);

describe('G1 a condition as a sentence', () => {
  it('is the formula underneath, and that is read as the same sentence', () => {
    fc.assert(
      fc.property(
        fc.array(clause, { minLength: 1, maxLength: 4 }),
        fc.constantFrom('and' as const, 'or' as const),
        (clauses, join) => {
          const formula = formulaOf({ join, clauses });
          expect(readFormula(formula), formula).toHaveProperty('tree');
          const read = sentenceOf(formula);
          expect(read?.clauses, formula).toEqual(clauses);
          if (clauses.length > 1) expect(read?.join).toBe(join);
        },
      ),
    );
  });

  it.each([
    ['copies <= on_hand', [{ path: ['copies'], compares: '<=' }]],
    ['damage', [{ path: ['damage'], compares: '=', plain: true }]],
    ['score.pages > 12 and copies != null', [{ compares: '>' }, { compares: 'filled' }]],
    ['due_back >= today() + duration("P28D")', [{ to: { kind: 'today', plus: 4, unit: 'weeks' } }]],
  ])('%s', (formula, clauses) => {
    expect(sentenceOf(formula)?.clauses).toMatchObject(clauses);
  });

  it.each([
    'copies * 2 <= on_hand',
    'not(damage)',
    'copies <= 3 and (damage or weeks > 2)',
    'some line in lines satisfies line.copies > 2',
    'count(lines) > 0',
    'copies in [1..5]',
    '3 < copies',
    'due_back < today() + duration("PT3H")',
    'copies <=',
    '',
  ])('but not what a sentence cannot say: %s', (formula) => {
    expect(sentenceOf(formula)).toBeNull();
  });

  it('begins with an operand in the same words', () => {
    fc.assert(
      fc.property(operand, (given) => {
        expect(operandOf(operandFormula(given))).toEqual(given);
      }),
    );
    expect(operandOf('today() + weeks')).toBeNull();
  });
});
