import { describe, expect, it } from 'vitest';
import {
  column,
  field,
  planOf,
  reference,
  sighted,
  table,
} from '../../../tests/support/definitions';
import { completions } from '../formula/completion';
import { querySchema } from '../outside/query';
import { heldType } from '../plan/held';
import { planSchema, type Bring, type Field, type Plan } from '../plan/schema';
import type { OutsideChoices } from '../plan/choices';
import { bringsPhrase } from '../plan/words';
import { problem } from '../problems';
import { sourcesOf, tablesWith } from '../table/sources';
import { plainText, type Value } from '../values/types';
import { examine } from '../wiring/examine';
import { wireForm } from '../wiring/form';
import type { Answer, StandingAsk } from './asks';
import { Entry } from './entry';

const query = querySchema.parse({
  key: 'members',
  title: 'Members',
  connection: 'register',
  text: 'members?district={district}',
  parameters: [{ key: 'district', label: 'District', type: plainText, required: false }],
  columns: [
    { key: 'code', label: 'Code', path: 'code', type: plainText },
    { key: 'phone', label: 'Phone', path: 'phone', type: plainText },
    { key: 'seats', label: 'Seats', path: 'seats', type: { kind: 'whole' } },
  ],
});
const tables = tablesWith({
  tables: [table('visit', [column('code'), column('phone')])],
  queries: [query],
});
const bring = (path: string, more: Partial<Bring> = {}): Bring => ({
  path,
  by: null,
  into: null,
  keeps: 'live',
  editable: false,
  ...more,
});
const choices: OutsideChoices = {
  kind: 'outside',
  query: 'members',
  stores: 'code',
  shown: ['code'],
  given: [{ parameter: 'district', field: 'district', optional: true }],
  takeOnly: false,
};
const planWith = (brings: Bring[], more: Partial<Field> = {}): Plan =>
  planOf('visit', [
    field('district'),
    field('member', { savesTo: 'code', choices, brings, ...more }),
    field('phone', { savesTo: 'phone' }),
    field('seats'),
  ]);
const plan = planWith([
  bring('phone', { into: 'phone', keeps: 'kept', editable: true }),
  bring('seats', { into: 'seats' }),
]);

type Row = Record<string, Value>;
const rows: Row[] = [
  { code: 'A', phone: '555-0101', seats: 12 },
  { code: 'B', phone: '555-0102', seats: 30 },
];

/** Answers as the register does, with the rows that it has now. */
function answered(entry: Entry, now: Row[] = rows): StandingAsk[] {
  const all: StandingAsk[] = [];
  for (let asks = entry.asks(); asks.length > 0; asks = entry.asks()) {
    all.push(...asks);
    entry.answer(asks.map((ask) => answerTo(ask, now)));
  }
  return all;
}

function answerTo({ id, kind, current }: StandingAsk, now: Row[]): Answer {
  const row = now.find(({ code }) => code === current) ?? null;
  if (kind === 'record') return { id, record: row };
  const choice = ({ code = null }: Row) => ({ value: code, shown: [code] });
  const found = now.length;
  return {
    id,
    choices: now.map(choice),
    next: null,
    found,
    more: false,
    current: row && choice(row),
  };
}

function chosen(of: Plan = plan): Entry {
  const entry = new Entry(wireForm(of, tables), { mode: 'new' });
  entry.set('member', 'A');
  answered(entry);
  return entry;
}

describe('H2 formulas read the columns of a row chosen outside, as they read those of a record', () => {
  const reading = (computes: string): Plan => {
    const [section] = plan.sections;
    if (!section) throw new Error('no section');
    const made = field('made', { holds: { kind: 'whole' }, computes });
    return { ...plan, sections: [{ ...section, fields: [...section.fields, made] }] };
  };
  const form = (computes: string) => wireForm(reading(computes), tables);

  it('asks for them, follows them, and is absent where nothing is chosen', () => {
    const entry = new Entry(form('member.seats * 2'), { mode: 'new' });
    answered(entry);
    expect(entry.value('made')).toBeNull();
    entry.set('member', 'A');
    // What is not read yet is not known: the value waits.
    expect(entry.cell('made').unsure).toBe(true);
    answered(entry);
    expect(entry.value('made')).toBe(24);
    entry.set('member', 'B');
    answered(entry);
    expect(entry.value('made')).toBe(60);
    entry.set('district', 'north');
    answered(entry, [{ code: 'B', phone: '555-0102', seats: 8 }]);
    expect(entry.value('made')).toBe(16);
  });

  it('goes on without them where the system does not answer', () => {
    const entry = new Entry(form('if member.seats = null then 1 else 2'), { mode: 'new' });
    entry.set('member', 'A');
    const failed = problem('outside_away', { system: 'Register' });
    entry.answer(entry.asks().map(({ id }) => ({ id, failed })));
    expect(entry.value('made')).toBe(1);
  });

  it('knows their types, and refuses a column that the query has not', () => {
    const code = (computes: string) =>
      form(computes).findings.map(({ found }) => found.problem.code);
    expect(code('member.seats + 1')).toEqual([]);
    expect(code('member.phone + 1')).toEqual(['formula_operands']);
    expect(code('member.fax')).toEqual(['formula_unknown_member']);
    // The field itself is the value that is kept, as before.
    expect(code('if member = "A" then 1 else 2')).toEqual([]);
  });

  describe('from around them as from beside them', () => {
    const free: OutsideChoices = { ...choices, given: [] };
    const inGrid = (own: Partial<Field>[], made: string): Plan => {
      const fields = [
        field('member', { savesTo: 'code', choices: free }),
        ...own.map((more, i) => field(`own${i}`, { holds: { kind: 'whole' }, ...more })),
      ];
      const grid = { table: 'line', link: 'visit', within: null, view: null };
      const lines = { key: 'lines', title: 'Lines', columns: 1, page: null, fields };
      const top = [
        field('member', { savesTo: 'code', choices: free }),
        field('made', { holds: { kind: 'whole' }, computes: made }),
      ];
      const given = planOf('visit', top);
      const section = { ...lines, grid: { ...grid, shownWhen: null, rowsWhen: null } };
      return planSchema.parse({ ...given, sections: [...given.sections, section] });
    };
    const house = tablesWith({
      tables: [
        table('visit', [column('code')]),
        table('line', [column('code'), reference('visit')]),
      ],
      queries: [query],
    });
    const filled = (of: Plan): Entry => {
      const wired = wireForm(of, house);
      expect(wired.findings).toEqual([]);
      const entry = new Entry(wired, { mode: 'new' });
      entry.set('member', 'B');
      for (const member of ['A', 'B', null]) {
        const row = entry.addRow('lines');
        if (member !== null) entry.set('member', member, null, row);
      }
      answered(entry);
      return entry;
    };

    it.each([
      ['all rows', 'sum(lines.member.seats)', 42],
      ['a loop', 'sum(for line in lines[member != null] return line.member.seats)', 42],
      ['a filter', 'count(lines[member.seats > 20])', 1],
      ['what a filter leaves', 'sum(lines[member.seats > 20].member.seats)', 30],
      ['a row by its place', 'lines[1].member.seats', 12],
      ['item of a filter', 'count(lines[item.member.phone = "555-0101"])', 1],
    ])('%s', (_, formula, is) => {
      const entry = filled(inGrid([], formula));
      expect(entry.value('made')).toBe(is);
      const [first] = entry.rows('lines');
      entry.set('member', 'B', null, first);
      answered(entry);
      expect(entry.value('made')).not.toBe(is);
    });

    it('a row reads those of the form, and those of its neighbours', () => {
      const own = [
        { computes: 'parent.member.seats + member.seats' },
        { computes: 'sum(parent.lines.member.seats)' },
      ];
      const entry = filled(inGrid(own, '1'));
      const of = (key: string) => entry.rows('lines').map((row) => entry.value(key, row));
      expect(of('own0')).toEqual([42, 60, null]);
      expect(of('own1')).toEqual([42, 42, 42]);
      entry.set('member', 'A');
      answered(entry);
      expect(of('own0')).toEqual([24, 42, null]);
    });

    it('are named where they are not known, and offered while a formula is written', () => {
      const { findings, names } = wireForm(inGrid([], 'sum(lines.member.fax)'), house);
      const [unknown] = findings;
      expect(unknown?.found.problem).toMatchObject({ code: 'formula_unknown_member' });
      expect(JSON.stringify(unknown?.found.problem)).toContain('code, phone, seats');
      const root = names.get('');
      const offered = (text: string) =>
        root && completions(root, text, text.length)?.words.map(({ label }) => label);
      expect(offered('member.')).toEqual(['code', 'phone', 'seats']);
      expect(offered('lines.member.')).toEqual(['code', 'phone', 'seats']);
    });
  });
});

describe('H2 a row chosen outside brings its columns along', () => {
  it('into fields of the type that they have, live or as they were when it was chosen', () => {
    const entry = chosen();
    expect([entry.value('phone'), entry.value('seats')]).toEqual(['555-0101', 12]);
    const later = [{ code: 'A', phone: '555-0199', seats: 14 }];
    entry.refresh();
    answered(entry, later);
    expect([entry.value('phone'), entry.value('seats')]).toEqual(['555-0101', 14]);
    entry.set('member', 'B');
    answered(entry);
    expect([entry.value('phone'), entry.value('seats')]).toEqual(['555-0102', 30]);
    entry.set('member', null);
    answered(entry);
    expect([entry.value('phone'), entry.value('seats')]).toEqual([null, null]);
  });

  it('is asked for under what the query is given, and again when that changes', () => {
    const entry = chosen();
    entry.set('district', 'north');
    const asks = answered(entry, [{ code: 'A', phone: '555-0150', seats: 9 }]);
    expect(asks.map(({ kind, given }) => [kind, given])).toEqual(
      expect.arrayContaining([
        ['list', { district: 'north' }],
        ['record', { district: 'north' }],
      ]),
    );
    expect([entry.value('member'), entry.value('seats')]).toEqual(['A', 9]);
  });

  it('keeps what a person has set instead, until another row is chosen', () => {
    const entry = chosen();
    entry.set('phone', '555-0177');
    entry.set('district', 'north');
    answered(entry);
    expect(entry.value('phone')).toBe('555-0177');
    entry.set('member', 'B');
    answered(entry);
    expect(entry.value('phone')).toBe('555-0102');
  });

  it('brings nothing while the system fails, and stops nothing; asked again, it does', () => {
    const entry = new Entry(wireForm(plan, tables), { mode: 'new' });
    answered(entry);
    entry.set('member', 'A', { value: 'A', shown: ['A'] });
    const failed = problem('outside_away', { system: 'Register' }, 'member');
    const facts = entry.asks().filter(({ kind }) => kind === 'record');
    entry.answer(facts.map(({ id }) => ({ id, failed })));
    answered(entry);
    expect([entry.value('seats'), entry.problems()]).toEqual([null, []]);
    entry.retry();
    answered(entry);
    expect(entry.value('seats')).toBe(12);
  });

  it('does not alter a record that is opened', () => {
    const values = { member: 'A', phone: '555-0111' };
    const stored = { id: 1, version: 1, values: { code: 'A', phone: '555-0111' } };
    const entry = new Entry(wireForm(plan, tables), { mode: 'opened', values, stored });
    answered(entry);
    expect([entry.value('phone'), entry.value('seats')]).toEqual(['555-0111', 12]);
  });
});

describe('H2 columns of a query in the plan', () => {
  const codes = (of: Plan) =>
    examine(of, tables)
      .filter(({ level }) => level === 'problem')
      .map((found) => found.problem.code);

  it('are held and told as the query has them', () => {
    const [, member, , seats] = plan.sections[0]?.fields ?? [];
    expect(seats && heldType(plan, seats, tables)).toEqual({ kind: 'whole' });
    const seen = sighted(plan, tables);
    expect(member && bringsPhrase(seen, member, tables)).toEqual({
      main: 'Phone → phone, Seats → seats',
      more: '',
    });
    expect(codes(plan)).toEqual([]);
  });

  it('that are gone, or do not fit, are problems', () => {
    expect(codes(planWith([bring('fax')]))).toEqual(['bring_path_missing']);
    const whole = planWith([bring('phone', { into: 'seats' })]);
    const held = (fields: Field[]) =>
      fields.map((one) =>
        one.key === 'seats' ? { ...one, holds: { kind: 'whole' as const } } : one,
      );
    const sections = whole.sections.map((part) => ({ ...part, fields: held(part.fields) }));
    expect(codes({ ...whole, sections })).toEqual(['bring_types']);
    expect(codes(planWith([bring('phone')], { choices: null }))).toContain('bring_without_record');
  });

  it('are known to a screen; how they are asked for is not', () => {
    const { queries = [] } = sourcesOf(tables);
    expect(queries.map(({ text, columns }) => [text, columns.length])).toEqual([['', 3]]);
    expect(tablesWith(sourcesOf(tables)).queries?.get('members')?.columns).toEqual(query.columns);
  });
});
