import { beforeAll, describe, expect, it } from 'vitest';
import { viewSchema, type View } from '../../src/core/table/view';
import type { House, Table } from '../../src/core/table/definition';
import { loadTables, makeTable } from '../../src/server/catalog/tables';
import { lookAt, type OpenGroups } from '../../src/server/records/viewed';
import { addRecord } from '../../src/server/records/write';
import { column, reference, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_looking');
let house: House;
let repairs: Table;

/** Repairs of so many instruments: those of the first are most. */
const counts = [60, 7, 0, 3];
const names = ['Viola', 'Bassoon', 'Oboe', 'Celesta'];

beforeAll(async () => {
  const { db } = held;
  await makeTable(db, table('instrument', [column('name')]), 'test');
  const columns = [
    ...[column('note'), reference('instrument')],
    column('price', { type: { kind: 'decimal', precision: 8, scale: 2 } }),
    column('done', { type: { kind: 'date' } }),
    column('parts', { type: { kind: 'whole' } }),
  ];
  await makeTable(db, table('repair', columns), 'test');
  house = await loadTables(db);
  const at = (key: string) => house.get(key) as Table;
  repairs = at('repair');
  let n = 0;
  for (const [i, count] of counts.entries()) {
    const { id } = await addRecord(db, house, at('instrument'), { name: names[i] }, 'test');
    for (let k = 0; k < count; k++, n++) {
      const month = String((n % 3) * 2 + 1).padStart(2, '0');
      await addRecord(
        ...([db, house, repairs] as const),
        {
          ...{ note: `n${n}`, instrument: id, price: `${n}.50`, parts: n },
          done: n % 10 === 0 ? null : `2026-${month}-15`,
        },
        'test',
      );
    }
  }
  await addRecord(db, house, repairs, { note: 'by nobody', instrument: null }, 'test');
});

const look = (view: Partial<View>, more: { open?: OpenGroups; search?: string } = {}) =>
  lookAt(held.db, house, repairs, {
    ...{ view: viewSchema.parse(view), search: '', after: undefined, limit: 20, open: null },
    ...more,
  });

const shown = (groups: readonly { shown: string | null }[]) => groups.map((one) => one.shown);

describe('A10 groups', () => {
  it('stand in a chosen order, records by how they are shown', async () => {
    const order = async (groupOrder: View['groupOrder'], totals: View['totals'] = []) =>
      shown((await look({ group: 'instrument', groupOrder, totals })).totals.groups);
    expect(await order('value')).toEqual([null, 'Bassoon', 'Celesta', 'Viola']);
    expect(await order('value_down')).toEqual(['Viola', 'Celesta', 'Bassoon', null]);
    expect(await order('most')).toEqual(['Viola', 'Bassoon', 'Celesta', null]);
    expect(await order('fewest')).toEqual([null, 'Celesta', 'Bassoon', 'Viola']);
    const greatest = [{ column: 'parts', kind: 'least' as const }];
    expect(await order('greatest', greatest)).toEqual(['Celesta', 'Bassoon', 'Viola', null]);
  });

  it('are open as far as their records fit on a page; the first one always', async () => {
    const byValue = await look({ group: 'instrument' });
    expect(byValue.totals.groups.map(({ open }) => open)).toEqual([true, true, true, false]);
    expect(byValue.page.records).toHaveLength(11);
    expect(byValue.totals.groups.map(({ shows }) => shows)).toEqual([1, 7, 3, 0]);
    const most = await look({ group: 'instrument', groupOrder: 'most' });
    expect(most.totals.groups.map(({ open }) => open)).toEqual([true, false, false, false]);
    expect(most.page.records).toHaveLength(20);
    expect(most.page.total).toBe(71);
  });

  it('page within themselves, each record once', async () => {
    const { totals } = await look({ group: 'instrument', groupOrder: 'most' });
    const [viola] = totals.groups;
    const notes: unknown[] = [];
    for (let after: string | null = null; ;) {
      const open = [{ value: viola?.value as number, after }];
      const at = await look({ group: 'instrument', sort: [] }, { open });
      notes.push(...at.page.records.map(({ values }) => values.note));
      after = at.totals.groups.find((group) => group.open)?.next ?? null;
      if (after === null) break;
    }
    expect(notes).toEqual(Array.from({ length: 60 }, (_, i) => `n${i}`));
  });

  it('opened one by one, those without a value too', async () => {
    const at = await look({ group: 'instrument' }, { open: [{ value: null, after: null }] });
    expect(at.page.records.map(({ values }) => values.note)).toEqual(['by nobody']);
  });
});

describe('A10 pictures', () => {
  const picture = async (by: string, more: Partial<View> = {}) =>
    (await look({ ...more, picture: { by, total: null } })).pictured;

  it('say how many there are by a value, or what they come to', async () => {
    expect(await picture('instrument')).toMatchObject({
      kind: 'bars',
      bars: [
        { label: 'Viola', n: 60 },
        { label: 'Bassoon', n: 7 },
        { label: 'Celesta', n: 3 },
        { label: 'without instrument', value: null, n: 1 },
      ],
    });
    const total = { column: 'price', kind: 'sum' as const };
    const { pictured } = await look({ picture: { by: 'instrument', total } });
    expect(pictured).toMatchObject({ bars: [{ n: 1800 }, { n: 444.5 }, { n: 205.5 }, { n: 0 }] });
  });

  it('draw every month between the first and the last one', async () => {
    const drawn = await picture('done');
    if (drawn?.kind !== 'months') throw new Error('no months');
    expect(drawn.months.map(({ month }) => month)).toEqual(
      [1, 2, 3, 4, 5].map((m) => `2026-0${m}`),
    );
    expect(drawn.months.map(({ n }) => n > 0)).toEqual([true, false, true, false, true]);
    expect(drawn.months.reduce((sum, { n }) => sum + n, 0)).toBe(63);
  });

  it('tell how numbers are spread, under the filter', async () => {
    const drawn = await picture('parts', {
      filter: [{ path: 'parts', operator: 'at_least', values: [10] }],
    });
    if (drawn?.kind !== 'spread') throw new Error('no spread');
    expect(drawn.spread).toMatchObject({ least: '10', middle: '39.5', greatest: '69' });
    expect(drawn.bins.reduce((sum, { n }) => sum + n, 0)).toBe(60);
  });

  it('of nothing are empty, and of what is gone none', async () => {
    const nothing = [{ path: 'note', operator: 'equal' as const, values: ['there is none'] }];
    for (const by of ['instrument', 'done', 'parts', 'price']) {
      const drawn = await picture(by, { filter: nothing });
      const list = { bars: 'bars', months: 'months', spread: 'bins' }[drawn?.kind ?? 'bars'];
      expect(drawn).toMatchObject({ [list]: [] });
    }
    expect(await picture('gone')).toBeNull();
  });

  it('take many different values together', async () => {
    const drawn = await picture('note');
    expect(drawn).toMatchObject({ kind: 'bars', others: 41 });
  });
});
