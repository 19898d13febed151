import { describe, expect, it } from 'vitest';
import { extra, field, lookupOf } from '../../../tests/support/definitions';
import {
  lendingPlan,
  lendingTables,
  lendingWorld,
  linesPlan,
} from '../../../tests/support/lending';
import { readerOf, type World } from '../../../tests/support/world';
import type { Plan } from '../plan/schema';
import { wireForm } from '../wiring/form';
import { Entry } from './entry';
import type { Filled } from './filled';
import { compareChanges, conflictKey, merged } from './merge';
import { recomputed } from './recomputed';
import { settle } from './settle';
import { foundBehind } from '../wiring/found-behind';
import { type OpenedRecord } from './stored';
import { openedBeginning } from './beginning';
import { writePlan } from './write-plan';

const lines = (): OpenedRecord => ({
  stored: { id: 7, version: 3, values: { weeks: 2, total: '2.40', copies: 3 } },
  values: { weeks: 2, total: '2.40', copies: 3 },
  rows: {
    lines: [
      row(71, { score: 31, copies: 2, fee: '1.60' }),
      row(72, { score: 32, copies: 1, fee: '0.80' }),
    ],
  },
});

function row(id: number, values: Record<string, string | number>) {
  return { stored: { id, version: 1, values: { ...values, loan: 7 } }, values };
}

async function opened(plan: Plan, record: OpenedRecord, filled?: Filled, world?: World) {
  const form = wireForm(plan, lendingTables);
  const clock = { today: () => '2026-11-24', now: () => '2026-11-24T10:00:00Z' };
  const entry = new Entry(form, { ...openedBeginning(record), around: { clock } });
  if (filled) entry.takeOver(filled);
  const rest = () => settle(entry, readerOf(world ?? lendingWorld(), form));
  await rest();
  return { form, entry, rest };
}

const written = (entry: Entry) =>
  writePlan(entry).map(({ action, table, id, values }) => ({ action, table, id, values }));

describe('an opened record', () => {
  it('is not altered by itself, and writes nothing', async () => {
    const { entry } = await opened(linesPlan(), lines());
    // Worked out now, the fees would be others: the score has 40 pages.
    expect(entry.value('total')).toBe('2.40');
    expect(entry.rows('lines').map((r) => entry.value('fee', r))).toEqual(['1.60', '0.80']);
    expect(writePlan(entry)).toEqual([]);
    expect(entry.problems()).toEqual([]);
  });

  it('writes what was changed, and what follows from it', async () => {
    const { entry, rest } = await opened(linesPlan(), lines());
    const [first] = entry.rows('lines');
    entry.set('copies', 5, null, first);
    await rest();
    expect(written(entry)).toEqual([
      { action: 'update', table: 'loan', id: 7, values: { total: '4.80', copies: 6 } },
      { action: 'update', table: 'loan_line', id: 71, values: { copies: 5, fee: '4.00' } },
    ]);
  });

  it('adds rows with its link, and takes rows out last', async () => {
    const { entry, rest } = await opened(linesPlan(), lines());
    const [first] = entry.rows('lines');
    if (first) entry.removeRow(first);
    entry.addRow('lines', { values: { score: 31, copies: 1 } });
    await rest();
    expect(written(entry)).toEqual([
      { action: 'update', table: 'loan', id: 7, values: { total: '1.60', copies: 2 } },
      {
        action: 'insert',
        table: 'loan_line',
        id: null,
        values: { score: 31, copies: 1, fee: '0.80', loan: 7 },
      },
      { action: 'delete', table: 'loan_line', id: 71, values: {} },
    ]);
  });

  it('knows a row again that is put back', async () => {
    const { entry } = await opened(linesPlan(), lines());
    const [first] = entry.rows('lines');
    if (!first?.stored) throw new Error('no row');
    entry.removeRow(first);
    expect(entry.removed('lines')).toHaveLength(1);
    entry.addRow('lines', { values: entry.values(first), stored: first.stored }, 0);
    expect(entry.removed('lines')).toEqual([]);
    expect(written(entry).filter(({ table }) => table === 'loan_line')).toEqual([]);
  });

  it('marks what is no longer offered, without stopping a save', async () => {
    const world = { ...lendingWorld(), ensemble: [] };
    const record = {
      stored: { id: 1, version: 1, values: { ensemble: 21, weeks: 4, copies: 1 } },
      values: { ensemble: 21, town: 11, region: 1, weeks: 4, copies: 1 },
      rows: {},
    };
    const { entry } = await opened(lendingPlan(), record, undefined, world);
    expect(entry.value('ensemble')).toBe(21);
    expect(entry.notOffered('ensemble')).toBe(true);
    expect(entry.problems()).toEqual([]);
    entry.set('region', 2);
    expect(entry.value('town')).toBe(11);
  });

  it('reads of the chosen record what only narrows it', () => {
    const form = wireForm(lendingPlan(), lendingTables);
    const root = form.scopes.get('');
    expect(root && foundBehind(root)).toEqual([
      { from: 'ensemble', path: 'town', into: 'town' },
      { from: 'town', path: 'region', into: 'region' },
    ]);
  });

  it('says in formulas what a field held before', async () => {
    const plan = linesPlan();
    plan.writes = [
      extra(
        'copy_movement',
        {
          score: 'score',
          kind: 'if before.copies = null or copies > before.copies then "lent" else "returned"',
          quantity: 'abs(copies - (if before.copies = null then 0 else before.copies))',
        },
        { each: 'lines', on: 'every_save', when: 'copies != before.copies' },
      ),
      extra(
        'copy_movement',
        { score: 'before.score', kind: '"returned"', quantity: 'before.copies' },
        { each: 'lines', on: 'removal' },
      ),
    ];
    const { entry, rest } = await opened(plan, lines());
    const [first, second] = entry.rows('lines');
    if (!second) throw new Error('no row');
    entry.set('copies', 1, null, first);
    entry.removeRow(second);
    entry.addRow('lines', { values: { score: 32, copies: 4 } });
    await rest();
    const moved = written(entry).filter(({ table }) => table === 'copy_movement');
    expect(moved.map(({ values }) => values)).toEqual([
      { score: 31, kind: 'returned', quantity: 1 },
      { score: 32, kind: 'lent', quantity: 4 },
      { score: 32, kind: 'returned', quantity: 1 },
    ]);
  });

  it('changes columns of a chosen record besides', async () => {
    const plan = linesPlan();
    plan.writes = [
      extra('score', { pages: 'score.pages + copies' }, { each: 'lines', record: 'score' }),
    ];
    const { entry, rest } = await opened(plan, { ...lines(), rows: { lines: [] } });
    entry.addRow('lines', { values: { score: 31, copies: 2 } });
    await rest();
    expect(written(entry).at(-1)).toEqual({
      action: 'update',
      table: 'score',
      id: 31,
      values: { pages: 42 },
    });
  });
});

describe('what somebody made of a record', () => {
  it('is taken over with all that follows', async () => {
    const { entry, rest } = await opened(linesPlan(), lines());
    entry.set('weeks', 4);
    const [first] = entry.rows('lines');
    if (first) entry.removeRow(first);
    entry.addRow('lines', { values: { score: 31, copies: 3 } });
    await rest();
    const again = await opened(linesPlan(), lines(), entry.state());
    expect(again.entry.state().values).toEqual(entry.state().values);
    expect(written(again.entry)).toEqual(written(entry));
  });

  it('is followed also where the answer to what it waits for comes later', async () => {
    const plan = linesPlan();
    const sections = plan.sections.map((section) =>
      section.key !== 'lines'
        ? section
        : {
            ...section,
            fields: section.fields.map((f) =>
              f.key === 'fee' ? { ...f, computes: 'copies * parent.rate' } : f,
            ),
          },
    );
    const score = field('edition_of', {
      choices: lookupOf('score'),
      brings: [{ path: 'pages', by: null, into: 'rate', keeps: 'live', editable: false }],
    });
    const [main, ...others] = sections;
    if (!main) throw new Error('no section');
    const fields = [...main.fields, score, field('rate', { holds: { kind: 'whole' } })];
    const form = wireForm({ ...plan, sections: [{ ...main, fields }, ...others] }, lendingTables);
    const record = lines();
    const values = { ...record.values, edition_of: 31 };
    const entry = new Entry(form, openedBeginning({ ...record, values }));
    // Nothing is answered yet: the rate is not known when the copies are taken over.
    const [one, two] = record.rows.lines ?? [];
    const rows = [one, two].map((r, i) => ({
      id: r?.stored.id ?? 0,
      values: { ...r?.values, copies: i + 3 },
    }));
    entry.takeOver({ values, rows: { lines: rows } });
    await settle(entry, readerOf(lendingWorld(), form));
    const fees = entry.rows('lines').map((r) => Number(entry.value('fee', r)));
    expect(fees).toEqual([3 * 40, 4 * 40]);
    expect(Number(entry.value('total'))).toBe(7 * 40);
  });

  it('keeps what is not offered, with its problem', async () => {
    const record = {
      stored: { id: 1, version: 1, values: { ensemble: 21 } },
      values: { ensemble: 21, town: 11, region: 1 },
      rows: {},
    };
    const filled = { values: { region: 2, town: 12, ensemble: 22 } };
    const { entry } = await opened(lendingPlan(), record, filled);
    expect(entry.values()).toMatchObject({ region: 2, town: 12, ensemble: 22 });
    expect(entry.problems()).toContainEqual(
      expect.objectContaining({ path: 'town', code: 'not_offered' }),
    );
  });

  it('tells a computed value that was forged', async () => {
    const filled = {
      values: { weeks: 4, total: '0.01' },
      rows: { lines: [{ id: 71, values: { score: 31, copies: 2 } }] },
    };
    const { entry } = await opened(linesPlan(), lines(), filled);
    expect(entry.value('total')).toBe('3.20');
    expect(recomputed(entry, filled)).toEqual([
      expect.objectContaining({ path: 'total', code: 'value_changed' }),
    ]);
  });

  it('keeps a brought value that a person wrote over', async () => {
    const record = {
      stored: { id: 1, version: 1, values: { ensemble: 21, contact: 'Odile' } },
      values: { ensemble: 21, town: 11, region: 1, contact: 'Odile' },
      rows: {},
    };
    const filled = { values: { town: 12, ensemble: 22, contact: 'Somebody' } };
    const { entry } = await opened(lendingPlan(), record, filled);
    expect(entry.value('contact')).toBe('Somebody');
  });
});

describe('two people at one record', () => {
  const yours = (more: Partial<OpenedRecord['values']> = {}, rows?: Filled['rows']): Filled => ({
    values: { ...lines().values, ...more },
    rows: rows ?? {
      lines: lines().rows.lines?.map(({ stored, values }) => ({ id: stored.id, values })) ?? [],
    },
  });
  const plan = linesPlan();
  plan.sections[0]?.fields.push(
    field('note', { savesTo: 'note' }),
    field('ensemble', { savesTo: 'ensemble', choices: lookupOf('ensemble') }),
  );
  const form = wireForm(plan, lendingTables);
  const theirs = (values: object, rows = lines().rows.lines ?? []): OpenedRecord => ({
    stored: { id: 7, version: 4, values: { ...lines().stored.values, ...values } },
    values: { ...lines().values, ...values },
    rows: { lines: rows },
  });

  it('do not meet where they changed different fields', () => {
    const now = theirs({ note: 'late' });
    const { conflicts, elsewhere } = compareChanges(form, lines(), yours({ weeks: 5 }), now);
    expect(conflicts).toEqual([]);
    expect(elsewhere).toEqual([
      { grid: '', id: 7, kind: 'changed', fields: [{ field: 'note', before: null, now: 'late' }] },
    ]);
    const both = merged(form, lines(), yours({ weeks: 5 }), now, new Map());
    expect(both.values).toMatchObject({ weeks: 5, note: 'late' });
  });

  it('meet at a field, and one side is chosen', () => {
    const mine = yours({ weeks: 5 });
    const now = theirs({ weeks: 9 });
    expect(compareChanges(form, lines(), mine, now).conflicts).toEqual([
      {
        grid: '',
        id: 7,
        kind: 'changed',
        fields: [{ field: 'weeks', base: 2, yours: 5, theirs: 9 }],
      },
    ]);
    const sides = new Map([[conflictKey('', 7, 'weeks'), 'theirs' as const]]);
    expect(merged(form, lines(), mine, now, sides).values.weeks).toBe(9);
    expect(merged(form, lines(), mine, now, new Map()).values.weeks).toBe(5);
  });

  it('agree without a question where both wrote the same', () => {
    const { conflicts, elsewhere } = compareChanges(
      form,
      lines(),
      yours({ weeks: 9 }),
      theirs({ weeks: 9 }),
    );
    expect([conflicts, elsewhere]).toEqual([[], []]);
  });

  it('keep rows that either added, and lose those that one took out', () => {
    const mine = yours(
      {},
      {
        lines: [{ id: 71, values: { score: 31, copies: 2 } }, { values: { score: 32, copies: 4 } }],
      },
    );
    const now = theirs({}, [
      row(71, { score: 31, copies: 2 }),
      row(72, { score: 32, copies: 1 }),
      row(73, { score: 31, copies: 9 }),
    ]);
    const { conflicts, elsewhere } = compareChanges(form, lines(), mine, now);
    expect(conflicts).toEqual([]);
    expect(elsewhere).toEqual([{ grid: 'lines', id: 73, kind: 'added', fields: [] }]);
    const both = merged(form, lines(), mine, now, new Map());
    expect(both.rows?.lines?.map(({ id, values }) => [id, values.copies])).toEqual([
      [71, 2],
      [73, 9],
      [undefined, 4],
    ]);
  });

  it('are asked about a row that one changed and the other took out', () => {
    const mine = yours({}, { lines: [{ id: 71, values: { score: 31, copies: 8 } }] });
    const now = theirs({}, [row(72, { score: 32, copies: 5 })]);
    expect(compareChanges(form, lines(), mine, now).conflicts).toEqual([
      {
        grid: 'lines',
        id: 71,
        kind: 'gone',
        fields: [{ field: 'copies', base: 2, yours: 8, theirs: 2 }],
      },
      {
        grid: 'lines',
        id: 72,
        kind: 'left',
        fields: [{ field: 'copies', base: 1, yours: 1, theirs: 5 }],
      },
    ]);
    const rows = (sides: [string, 'yours' | 'theirs'][]) =>
      merged(form, lines(), mine, now, new Map(sides)).rows?.lines?.map(({ id, values }) => [
        id,
        values.copies,
      ]);
    expect(rows([])).toEqual([[undefined, 8]]);
    expect(
      rows([
        ['lines 71 ', 'theirs'],
        ['lines 72 ', 'theirs'],
      ]),
    ).toEqual([[72, 5]]);
  });
});
