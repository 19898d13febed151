import fc from 'fast-check';
import { evaluate as oracle } from 'feelin';
import { describe, expect, it } from 'vitest';
import type { Names } from './scope';
import { Decimal, toText, type Feel } from './feel';
import { compileFormula, evaluate } from './formula';
import * as kinds from './kinds';

/**
 * Differential tests: where the general interpreter defines a result, and the result does not hang on
 * the digits of its floats, ours is the same.
 */
const clock = { today: () => '2027-03-01', now: () => '2027-03-01T00:00:00Z' };

interface World {
  a: number;
  b: number;
  s: string;
  t: boolean;
}

const names: Names<World> = {
  find: (name) => {
    if (name === 'a' || name === 'b') {
      return { kind: kinds.number, read: (host) => new Decimal(host[name]) };
    }
    if (name === 's') return { kind: kinds.text, read: (host) => host.s };
    return name === 't' ? { kind: kinds.yesNo, read: (host) => host.t } : null;
  },
  all: () => ['a', 'b', 's', 't'],
};

const { number, condition, word } = fc.letrec<{ number: string; condition: string; word: string }>(
  (tie) => ({
    number: fc.oneof(
      { depthSize: 'small' },
      fc.integer({ min: 0, max: 50 }).map(String),
      fc.constantFrom('a', 'b', '0.5', '2.25'),
      fc
        .tuple(tie('number'), fc.constantFrom('+', '-', '*'), tie('number'))
        .map(([x, sign, y]) => `(${x} ${sign} ${y})`),
      fc
        .tuple(tie('condition'), tie('number'), tie('number'))
        .map(([c, x, y]) => `(if ${c} then ${x} else ${y})`),
      fc
        .tuple(fc.constantFrom('sum', 'min', 'max', 'count', 'mean'), tie('number'), tie('number'))
        .map(([f, x, y]) => `${f}([${x}, ${y}, 3])`),
      fc
        .tuple(fc.constantFrom('floor', 'ceiling', 'abs'), tie('number'))
        .map(([f, x]) => `${f}(${x})`),
      tie('word').map((s) => `string length(${s})`),
      fc
        .tuple(tie('number'), tie('number'))
        .map(([x, y]) => `sum(for i in [${x}, ${y}] return i * 2)`),
      fc.tuple(tie('number'), tie('number')).map(([x, y]) => `count([1, ${x}, ${y}][item > 1])`),
      fc
        .tuple(tie('number'), fc.integer({ min: 1, max: 9 }))
        .map(([x, y]) => `modulo(floor(${x}), ${y})`),
    ),
    condition: fc.oneof(
      { depthSize: 'small' },
      fc.constantFrom('t', 'true', 'false'),
      fc
        .tuple(tie('number'), fc.constantFrom('<', '<=', '>', '>=', '=', '!='), tie('number'))
        .map(([x, sign, y]) => `(${x} ${sign} ${y})`),
      fc
        .tuple(tie('condition'), fc.constantFrom('and', 'or'), tie('condition'))
        .map(([x, sign, y]) => `(${x} ${sign} ${y})`),
      tie('condition').map((c) => `not(${c})`),
      fc
        .tuple(tie('number'), tie('number'), tie('number'))
        .map(([x, y, z]) => `(${x} between ${y} and ${y} + abs(${z}))`),
      fc.tuple(tie('number'), tie('number')).map(([x, y]) => `(${x} in [1..1 + abs(${y})])`),
      fc
        .tuple(tie('number'), tie('number'))
        .map(([x, y]) => `(some i in [1, ${x}] satisfies i > ${y})`),
      fc
        .tuple(tie('number'), tie('number'))
        .map(([x, y]) => `(every i in [1, ${x}] satisfies i > ${y})`),
      fc.tuple(tie('word'), tie('word')).map(([x, y]) => `contains(${x}, ${y})`),
    ),
    word: fc.oneof(
      { depthSize: 'small' },
      fc.constantFrom('s', '"Velden"', '"a b"', '""'),
      fc.tuple(tie('word'), tie('word')).map(([x, y]) => `(${x} + ${y})`),
      tie('word').map((x) => `upper case(${x})`),
      fc
        .tuple(tie('word'), fc.integer({ min: 1, max: 4 }))
        .map(([x, y]) => `substring(${x}, ${y})`),
      fc.tuple(tie('word'), tie('word')).map(([x, y]) => `substring after(${x}, ${y})`),
      tie('condition').map((c) => `string(${c})`),
    ),
  }),
);

const world = fc.record({
  a: fc.integer({ min: -20, max: 20 }),
  b: fc.integer({ min: 0, max: 9 }),
  s: fc.constantFrom('', 'Velden', 'x'),
  t: fc.boolean(),
});

function ours(source: string, on: World): Feel {
  const compiled = compileFormula(source, names);
  if ('problem' in compiled) throw new Error(`${source}: ${compiled.problem.problem.message}`);
  const evaluated = evaluate(compiled.formula, on, clock);
  if ('problem' in evaluated) throw new Error(evaluated.problem.message);
  return evaluated.value;
}

function agree(source: string, on: World): void {
  const theirs = oracle(source, { ...on }).value as unknown;
  const found = ours(source, on);
  if (typeof theirs === 'number') {
    expect(Decimal.isDecimal(found), source).toBe(true);
    const far = new Decimal(theirs).minus(found as Decimal).abs();
    // Floats are rounded where ours are exact.
    expect(
      far.lessThanOrEqualTo(Decimal.max(1, (found as Decimal).abs()).times(1e-9)),
      source,
    ).toBe(true);
  } else {
    expect(found, source).toEqual(theirs);
  }
}

describe('formulas mean what FEEL means', () => {
  it('for generated numbers', () => {
    fc.assert(fc.property(number, world, agree), { numRuns: 400 });
  });
  it('for generated conditions', () => {
    fc.assert(fc.property(condition, world, agree), { numRuns: 400 });
  });
  it('for generated texts', () => {
    fc.assert(fc.property(word, world, agree), { numRuns: 200 });
  });

  it.each([
    'date("2027-01-31") + duration("P1M")',
    'date("2027-03-01") - date("2027-02-01")',
    'date("2027-03-31") - duration("P1M")',
    'string(duration("P1Y14M"))',
    'day of week(date("2027-03-01"))',
    'day of year(date("2027-03-01"))',
    'month of year(date("2027-03-01"))',
    'week of year(date("2027-01-01"))',
    'index of([1, 2, 1], 1)',
    'sublist([1, 2, 3], 2)',
    'sublist([1, 2, 3], -2, 1)',
    'append([1], 2, 3)',
    'concatenate([1], [2, 3])',
    'insert before([1, 3], 2, 2)',
    'remove([1, 2, 3], 2)',
    'reverse([1, 2, 3])',
    'union([1, 2], [2, 3])',
    'distinct values([1, 2, 1, null])',
    'flatten([1, [2, [3]]])',
    'mode([1, 1, 2])',
    'list contains([1, null], null)',
    'all([true, null])',
    'any([false, true])',
    'sum([1, null])',
    'max([])',
    'substring("abcde", -3, 2)',
    'split("a;b;c", ";")',
    'replace("abc", "b", "x")',
    'string join(["a", "b"], ", ")',
    'round up(-1.2, 0)',
    'round down(-1.8, 0)',
    'round half down(2.5, 0)',
    'floor(-1.5)',
    'modulo(-5, 3)',
    'number("abc")',
    'not(null)',
    'null and false',
    'string([1, "a", true])',
    '[1, [2]] = [1, [2]]',
  ])('%s', (source) => {
    const theirs = oracle(source, {}).value as unknown;
    const said = Array.isArray(theirs)
      ? plainList(theirs)
      : theirs === null
        ? null
        : String(theirs);
    expect(toText(ours(source, { a: 0, b: 0, s: '', t: true }))).toBe(said);
  });
});

function plainList(list: unknown[]): string {
  return `[${list.map((item) => (typeof item === 'string' ? JSON.stringify(item) : String(item))).join(', ')}]`;
}
