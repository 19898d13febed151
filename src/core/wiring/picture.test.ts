import { describe, expect, it } from 'vitest';
import { column, field, planOf, table } from '../../../tests/support/definitions';
import { lendingPlan, lendingTables, linesPlan } from '../../../tests/support/lending';
import { querySchema } from '../outside/query';
import { planSchema } from '../plan/schema';
import { tablesWith } from '../table/sources';
import { plainText } from '../values/types';
import { drawWiring, lit } from './picture';
import { layWiring, rideOf } from './picture-layout';
import { wireForm } from './form';

const picture = (plan = lendingPlan()) => drawWiring(wireForm(plan, lendingTables));

describe('G5 the wiring as a picture', () => {
  it('draws tables read, fields and tables written, with what flows between them', () => {
    const { lines } = picture();
    expect(lines).toContainEqual({ from: 'region', to: 'town', flow: 'narrows' });
    expect(lines).toContainEqual({ from: 'ensemble', to: 'contact', flow: 'brings' });
    expect(lines).toContainEqual({ from: 'rate', to: 'fee', flow: 'computes' });
    expect(lines).toContainEqual({ from: 'source copy_movement', to: 'received', flow: 'choices' });
    expect(lines).toContainEqual({ from: 'fee', to: 'target loan', flow: 'writes' });
  });

  it.each([
    ['one form', lendingPlan()],
    ['a form with lines', linesPlan()],
  ])('lays nothing of %s over anything else', (_, plan) => {
    const drawn = picture(plan);
    const laid = layWiring(drawn, null);
    for (const column of [laid.sources, laid.fields, laid.ends]) {
      expect(new Set(column.map(({ row }) => row)).size).toBe(column.length);
      for (const { row } of column) expect(row).toBeLessThan(laid.rows);
    }
    expect(laid.fields.map(({ id }) => id)).toEqual(drawn.sections.flatMap(({ fields }) => fields));
    const rowOf = new Map([...laid.sources, ...laid.fields].map(({ id, row }) => [id, row]));
    for (const buses of [laid.left, laid.reading]) {
      const reach = buses.map(({ lane, lines }) => {
        const rows = lines.flatMap(({ from, to }) => [
          (rowOf.get(from) ?? -1) + 0.2,
          (rowOf.get(to) ?? -1) - 0.2,
        ]);
        return { lane, from: Math.min(...rows), to: Math.max(...rows) };
      });
      for (const a of reach)
        for (const b of reach)
          if (a !== b && a.lane === b.lane) expect(a.to < b.from || b.to < a.from).toBe(true);
    }
    const all = [
      ...laid.straight,
      ...[laid.left, laid.reading, laid.writing].flat().flatMap((b) => b.lines),
    ];
    expect(new Set(all)).toEqual(new Set(drawn.lines));
  });

  it('lets choices and writes run straight, and frames lines within the table of the form', () => {
    const laid = layWiring(picture(linesPlan()), null);
    const row = (id: string) => [...laid.sources, ...laid.fields].find((b) => b.id === id)?.row;
    expect(row('source region')).toBe(row('region'));
    expect(laid.columns.find(({ field }) => field === 'lines.fee')?.row).toBe(row('lines.fee'));
    const [loan, line] = ['target loan', 'target loan_line'].map((id) =>
      laid.tables.find((t) => t.id === id),
    );
    expect([loan?.depth, line?.depth]).toEqual([0, 1]);
    expect(line?.from).toBeGreaterThan(loan?.from ?? Infinity);
    expect(loan?.to).toBeGreaterThanOrEqual(line?.to ?? Infinity);
  });

  it('draws only what is asked for, and says what a field carries', () => {
    const drawn = picture();
    const { boxes } = lit(drawn, 'score');
    const laid = layWiring(drawn, boxes);
    expect(laid.fields.map(({ id }) => id)).not.toContain('region');
    const ride = rideOf(drawn, 'ensemble');
    expect(ride.narrowedBy).toEqual(['town']);
    expect(ride.further).toEqual(['region']);
    expect(ride.carries).toEqual(expect.arrayContaining(['contact']));
    expect(ride.carriesFurther).toContain('fee');
  });

  it('lights what a field hangs on and what hangs on it', () => {
    const drawn = picture();
    const { boxes } = lit(drawn, 'score');
    expect([...boxes]).toEqual(
      expect.arrayContaining(['source score', 'received', 'on_hand', 'copies', 'target loan']),
    );
    expect(boxes.has('region')).toBe(false);
  });

  it('shows rows with their grid, and where they are written', () => {
    const { boxes, lines } = picture(linesPlan());
    expect(boxes.find((box) => box.id === 'lines.fee')?.scope).toBe('lines');
    expect(lines).toContainEqual({ from: 'lines.fee', to: 'total', flow: 'computes' });
    expect(lines).toContainEqual({ from: 'lines.score', to: 'target loan_line', flow: 'writes' });
  });

  it('shows option lists and outside systems among what is read, told and written back', () => {
    const query = querySchema.parse({
      key: 'member',
      title: 'Member',
      connection: 'register',
      text: 'members/{code}',
      parameters: [{ key: 'code', label: 'Code', type: plainText }],
      columns: [{ key: 'name', label: 'Name', path: 'name', type: plainText }],
    });
    const tables = tablesWith({
      tables: [table('visit', [column('name')])],
      lists: [{ key: 'kinds', title: 'Kinds', category: '', note: '', of: null, values: [] }],
      queries: [query],
      systems: [{ key: 'register', title: 'Register', accepts: 'http' }],
    });
    const given = [{ parameter: 'code', field: 'code', optional: false }];
    const plan = planSchema.parse({
      ...planOf('visit', [
        field('code'),
        field('kind', { choices: { kind: 'options', list: 'kinds', by: null } }),
        field('name', { savesTo: 'name', outside: { query: 'member', column: 'name', given } }),
      ]),
      sends: [{ connection: 'register', address: 'notes', values: { what: 'kind' } }],
    });
    const { boxes, lines } = drawWiring(wireForm(plan, tables));
    const ends = boxes.filter(({ what }) => what !== 'field');
    expect(ends.map(({ id, label, more }) => [id, label, more])).toEqual([
      ['source list kinds', 'Kinds', 'option list'],
      ['source outside member', 'Member', 'asks Register'],
      ['target visit', 'visit', 'one record'],
      ['target outside register', 'Register', 'sent'],
    ]);
    expect(lines).toEqual(
      expect.arrayContaining([
        { from: 'source outside member', to: 'name', flow: 'choices' },
        { from: 'code', to: 'name', flow: 'narrows' },
        { from: 'kind', to: 'target outside register', flow: 'writes' },
      ]),
    );
    const through = {
      query: 'member',
      key: 'code',
      write: { method: 'PUT' },
      columns: { name: 'name' },
    };
    const passing = planSchema.parse({ ...planOf('visit', [field('name')]), through });
    const drawn = drawWiring(wireForm(passing, tables));
    expect(drawn.boxes.map(({ id }) => id)).toEqual([
      'source outside member',
      'name',
      'target outside register',
    ]);
    expect(drawn.lines).toContainEqual({
      from: 'name',
      to: 'target outside register',
      flow: 'writes',
    });
  });
});
