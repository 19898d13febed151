import { describe, expect, it } from 'vitest';
import { column, field, planOf, table } from '../../../tests/support/definitions';
import { lendingPlan, lendingTables, linesPlan } from '../../../tests/support/lending';
import { querySchema } from '../outside/query';
import { planSchema } from '../plan/schema';
import { tablesWith } from '../table/sources';
import { plainText } from '../values/types';
import { boxHeight, drawWiring, lit } from './picture';
import { wireForm } from './form';

const picture = (plan = lendingPlan()) => drawWiring(wireForm(plan, lendingTables));

describe('G5 the wiring as a picture', () => {
  it('draws tables read, fields and tables written, with what flows between them', () => {
    const { boxes, lines } = picture();
    const layer = (id: string) => boxes.find((box) => box.id === id)?.layer ?? -1;
    expect(layer('source town')).toBe(0);
    expect(layer('region')).toBe(1);
    expect(layer('town')).toBe(2);
    expect(layer('ensemble')).toBe(3);
    expect(layer('rate')).toBe(4);
    expect(layer('target loan')).toBeGreaterThan(layer('fee'));
    expect(lines).toContainEqual({ from: 'region', to: 'town', flow: 'narrows' });
    expect(lines).toContainEqual({ from: 'ensemble', to: 'contact', flow: 'brings' });
    expect(lines).toContainEqual({ from: 'rate', to: 'fee', flow: 'computes' });
    expect(lines).toContainEqual({ from: 'source copy_movement', to: 'received', flow: 'choices' });
    expect(lines).toContainEqual({ from: 'fee', to: 'target loan', flow: 'writes' });
  });

  it('lays no box over another', () => {
    for (const { boxes, height } of [picture(), picture(linesPlan())]) {
      for (const a of boxes) {
        expect(a.y + boxHeight).toBeLessThanOrEqual(height + 0.001);
        for (const b of boxes) {
          if (a === b || a.x !== b.x) continue;
          expect(Math.abs(a.y - b.y)).toBeGreaterThanOrEqual(boxHeight);
        }
      }
    }
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
    expect(boxes.find((box) => box.id === 'lines.fee')?.more).toBe('Lines');
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
      ['target visit', 'visit', 'written'],
      ['target outside register', 'Register', 'told'],
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
