import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import type { Names } from './scope';
import { fromFeel, kindFitsType, shownFeel } from './convert';
import { Context, Decimal, readFeelDate, toText, type Feel } from './feel';
import { compileFormula, evaluate } from './formula';
import { functions } from './functions/all';
import * as kinds from './kinds';
import type { Kind } from './kinds';
import { deepestFormula } from './syntax';

const clock = { today: () => '2027-03-01', now: () => '2027-03-01T14:30:00Z' };

type Host = Record<string, Feel>;

const region: Kind = recordKind('Region', 'region', { name: kinds.text });
const town: Kind = recordKind('Town', 'town', { name: kinds.text, region });
const line: Kind = recordKind('Line', 'lines', { fee: kinds.number, title: kinds.text });
const known: Record<string, Kind> = {
  fee: kinds.number,
  weeks: kinds.number,
  title: kinds.text,
  due_on: kinds.date,
  damaged: kinds.yesNo,
  town,
  lines: { is: 'list', of: line, rows: true },
};
const names: Names<Host> = {
  find: (name) => {
    const kind = known[name];
    return kind ? { kind, read: (host) => host[name] ?? null } : null;
  },
  all: () => Object.keys(known),
};

function recordKind(called: string, of: string, members: Record<string, Kind>): Kind {
  const member = (key: string) => members[key] ?? null;
  return {
    is: 'record',
    called: `a record of ${called}`,
    of,
    member,
    members: () => Object.keys(members),
    path: null,
  };
}

function record(members: Record<string, Feel>): Context {
  return new Context(new Map(Object.entries(members)));
}

const n = (value: number | string) => new Decimal(value);
const host: Host = {
  fee: n('12.50'),
  weeks: n(4),
  title: 'Lantern suite',
  due_on: readFeelDate('2027-03-29'),
  damaged: true,
  town: record({ name: 'Velden', region: record({ name: 'North Marches' }) }),
  lines: [
    record({ fee: n('10.10'), title: 'First' }),
    record({ fee: n('20.20'), title: 'Second' }),
    record({ fee: null, title: null }),
  ],
};

/** The result as text, or the code of the problem. */
function result(source: string, on: Host = host): string | null {
  const compiled = compileFormula(source, names);
  if ('problem' in compiled) return compiled.problem.problem.code;
  const evaluated = evaluate(compiled.formula, on, clock);
  return 'problem' in evaluated ? evaluated.problem.code : toText(evaluated.value);
}

function problemOf(source: string) {
  const compiled = compileFormula(source, names);
  if ('formula' in compiled) throw new Error(`${source} is taken`);
  const { from, to, problem } = compiled.problem;
  return {
    at: source.slice(from, to),
    code: problem.code,
    message: problem.message,
    hint: problem.hint,
  };
}

describe('D2 a formula over the fields of a form', () => {
  it.each([
    ['0.1 + 0.2 = 0.3', 'true'],
    ['0.1 + 0.2', '0.3'],
    ['fee * weeks', '50'],
    ['fee * weeks - 0.01', '49.99'],
    ['weeks-1', '3'],
    ['2 ** 10', '1024'],
    ['-weeks ** 2', '16'],
    ['if weeks > 4 then fee * 0.9 else fee', '12.5'],
    ['if weeks >= 4 then "long" else "short"', 'long'],
    ['weeks between 1 and 4', 'true'],
    ['weeks in (1, 2, 4)', 'true'],
    ['weeks in [1..3]', 'false'],
    ['weeks in (>= 4)', 'true'],
    ['town.region.name', 'North Marches'],
    ['title + ", " + town.name', 'Lantern suite, Velden'],
    ['sum(lines.fee)', '30.3'],
    ['count(lines)', '3'],
    ['count(lines.fee)', '2'],
    ['lines[fee > 15].title', '["Second"]'],
    ['lines[2].title', 'Second'],
    ['lines[-3].fee', '10.1'],
    ['lines[item.fee = max(lines.fee)].title', '["Second"]'],
    ['some l in lines satisfies l.fee > 20', 'true'],
    ['every l in lines satisfies l.fee > 20', 'false'],
    ['for i in 1..3 return i * fee', '[12.5, 25, 37.5]'],
    ['for i in 3..1 return i', '[3, 2, 1]'],
    ['for a in [1, 2], b in [10, 20] return a + b', '[11, 21, 12, 22]'],
    ['{a: 1, b: fee}.b', '12.5'],
    ['due_on - today()', 'P28D'],
    ['(due_on - today()).days', '28'],
    ['today() + duration("P1M")', '2027-04-01'],
    ['date("2027-01-31") + @"P1M"', '2027-02-28'],
    ['due_on.year', '2027'],
    ['day of week(due_on)', 'Monday'],
    ['now()', '2027-03-01T14:30:00Z'],
    ['@"P1D" * weeks', 'P4D'],
    ['not(damaged)', 'false'],
    ['damaged and weeks > 1 or false', 'true'],
    ['string length(title)', '13'],
    ['substring before(title, " ")', 'Lantern'],
    ['matches(title, "^L.*e$")', 'true'],
    ['round half up(2.345, 2)', '2.35'],
    ['decimal(2.345, 2)', '2.34'],
    ['number("1.250,50", ".", ",")', '1250.5'],
  ])('%s', (source, expected) => expect(result(source)).toBe(expected));

  it('knows at least 45 functions', () => {
    expect(Object.keys(functions).length).toBeGreaterThanOrEqual(45);
  });

  it('has every function in its handbook, with what it does', () => {
    const handbook = readFileSync('docs/formulas.md', 'utf8').replace(/\s+/g, ' ');
    for (const [name, { does }] of Object.entries(functions)) {
      expect(handbook).toContain(`| \`${name}\` | ${does()} |`);
    }
  });

  it('says what it reads, through references and over rows', () => {
    const reads = (source: string) => {
      const compiled = compileFormula(source, names);
      return 'formula' in compiled ? compiled.formula.reads.map((path) => path.join('.')) : [];
    };
    expect(reads('town.region.name + title')).toEqual([
      'town',
      'town.region',
      'town.region.name',
      'title',
    ]);
    expect(reads('for l in lines return l.fee')).toEqual(['lines', 'lines.fee']);
    expect(reads('lines[fee > 1].title')).toContain('lines.fee');
    expect(reads('today()')).toEqual([]);
  });

  it('takes absent values as FEEL does: never an exception', () => {
    const empty: Host = {};
    expect(result('fee * weeks', empty)).toBeNull();
    expect(result('fee > 1', empty)).toBeNull();
    expect(result('if fee > 1 then "a" else "b"', empty)).toBe('b');
    expect(result('fee = null', empty)).toBe('true');
    expect(result('false and fee > 1', empty)).toBe('false');
    expect(result('true and fee > 1', empty)).toBeNull();
    expect(result('town.region.name', empty)).toBeNull();
    expect(result('sum(lines.fee)', empty)).toBeNull();
    expect(result('upper case(title)', empty)).toBeNull();
  });
});

describe('what is wrong with a formula is said at its place', () => {
  it.each([
    ['fee + "x"', 'fee + "x"', 'formula_operands', '“fee” is a number, “"x"” is a text.'],
    ['weeks + titel', 'titel', 'formula_unknown_name', 'Nothing is called “titel” here.'],
    ['town.regoin', 'town.regoin', 'formula_unknown_member', 'A record of Town has no “regoin”.'],
    [
      'fee > title',
      'fee > title',
      'formula_comparison',
      '“fee” is a number, “title” is a text: they cannot be compared.',
    ],
    [
      'if fee then 1 else 2',
      'fee',
      'formula_wrong_kind',
      '“fee” is a number; yes/no is needed here.',
    ],
    ['upper case(fee)', 'fee', 'formula_wrong_kind', '“fee” is a number; a text is needed here.'],
    [
      'summ(lines.fee)',
      'summ(lines.fee)',
      'formula_unknown_function',
      'There is no function “summ”.',
    ],
    [
      'substring(title)',
      'substring(title)',
      'formula_parameters',
      'substring takes 2 to 3 values; 1 given.',
    ],
    [
      'date("2027-02-30")',
      'date("2027-02-30")',
      'formula_no_date',
      '“2027-02-30” is no date that exists.',
    ],
    ['fee *', '', 'formula_unfinished', 'The formula is not finished.'],
    [
      'fee ) 2',
      ') 2',
      'formula_unreadable',
      'The formula cannot be understood from “) 2” onwards.',
    ],
    [
      'function(a) a',
      'function(a) a',
      'formula_unsupported',
      '“function(a) a” cannot be used in a formula here.',
    ],
    ['  ', '  ', 'formula_empty', 'The formula is empty.'],
  ])('%s', (source, at, code, message) => {
    expect(problemOf(source)).toMatchObject({ at, code, message });
  });

  it('offers the word that was meant', () => {
    expect(problemOf('weeks + titel').hint).toBe('Did you mean title?');
    expect(problemOf('town.regoin').hint).toBe('Did you mean region?');
    expect(problemOf('summ(1)').hint).toBe('Did you mean sum?');
  });

  it('refuses what is nested without end, or too long, instead of hanging', () => {
    expect(problemOf(`${'('.repeat(2000)}1${')'.repeat(2000)}`).code).toBe('formula_too_deep');
    expect(problemOf(`${'('.repeat(10_000)}1${')'.repeat(10_000)}`).code).toBe('formula_too_long');
    expect(problemOf(`1${' + 1'.repeat(deepestFormula + 10)}`).code).toBe('formula_too_deep');
  });
});

describe('a formula ends, whatever it is asked', () => {
  it.each([
    'for i in 1..1000000000000 return i',
    'count(for i in 1..1000, j in 1..1000 return i * j)',
    'some i in 1..1000000000000 satisfies i < 0',
    'sum(for i in -1000000000000..1000000000000 return i)',
    'for i in [1..1000000000000] return 1',
  ])('%s', (source) => expect(result(source)).toBe('formula_too_many_steps'));

  it('gives nothing where a result would be of no size', () => {
    expect(result('9 ** 99999999')).toBeNull();
    expect(result('date("9999-12-31") + @"P400D"')).toBeNull();
    expect(result('matches("aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa!", "^(a+)+$")')).toBe('false');
  });

  it('warns where it goes on with an absent value', () => {
    const compiled = compileFormula('fee / (weeks - 4)', names);
    if ('problem' in compiled) throw new Error('refused');
    expect(evaluate(compiled.formula, host, clock)).toEqual({
      value: null,
      warnings: ['division_by_zero'],
    });
  });
});

describe('a result becomes the value of a field', () => {
  it('is rounded half up to the places that the field holds', () => {
    expect(fromFeel({ kind: 'decimal', precision: 8, scale: 2 }, n('12.345'))).toBe('12.35');
    expect(fromFeel({ kind: 'decimal', precision: 8, scale: 2 }, n('-0.001'))).toBe('0.00');
    expect(fromFeel({ kind: 'whole' }, n('2.5'))).toBe(3);
    expect(fromFeel({ kind: 'date' }, readFeelDate('2027-03-01'))).toBe('2027-03-01');
    expect(fromFeel({ kind: 'yes_no' }, n(1))).toBeUndefined();
  });

  it('is refused while designing where the kinds do not go together', () => {
    expect(kindFitsType(kinds.text, { kind: 'date' })).toBe(false);
    expect(kindFitsType(town, { kind: 'reference', table: 'town' })).toBe(true);
    expect(kindFitsType(region, { kind: 'reference', table: 'town' })).toBe(false);
  });

  it('is shown in words', () => {
    const compiled = compileFormula('due_on - today()', names);
    if ('problem' in compiled) throw new Error('refused');
    const evaluated = evaluate(compiled.formula, host, clock);
    expect('value' in evaluated && shownFeel(evaluated.value)).toBe('28 days');
    expect(shownFeel(true)).toBe('yes');
  });
});

describe('each value once', () => {
  const written = (source: string) => {
    const compiled = compileFormula(source, names);
    if ('problem' in compiled) throw new Error(compiled.problem.problem.message);
    const evaluated = evaluate(compiled.formula, host, clock);
    return 'value' in evaluated ? toText(evaluated.value) : evaluated.problem.code;
  };

  it('tells kinds apart, and not how a number is written', () => {
    expect(written('distinct values([1, "1", 1.0, true, "true", null, null])')).toBe(
      '[1, "1", true, "true", null]',
    );
    const dates = 'date("2027-03-01"), date("2027-03-01"), date("2027-03-02")';
    expect(written(`distinct values([${dates}])`)).toBe('[2027-03-01, 2027-03-02]');
    expect(written('distinct values([[1], [1], [2]])')).toBe('[[1], [2]]');
    expect(written('union([1, 2], [2, 3])')).toBe('[1, 2, 3]');
  });

  it('takes as many rows as a grid holds', () => {
    expect(written('count(distinct values(for i in 1..5000 return i))')).toBe('5000');
    expect(written('count(distinct values(for i in 1..5000 return "t" + string(i)))')).toBe('5000');
  });
});
