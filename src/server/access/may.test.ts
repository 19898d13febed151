import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { formActs, tableActs } from '$lib/core/access/role';
import { mayAnswer } from '$lib/core/contract/people';
import { houseOf } from '$lib/core/table/sources';
import { column, table } from '../../../tests/support/definitions';
import type { CatalogForm } from '../catalog/forms';
import { mayOf, placesOf } from './may';
import type { Asker } from './sessions';

const keys = ['loan', 'score', 'town', 'region', 'defect'];
const house = houseOf(keys.map((key) => [key, table(key, [column('name')])] as const));
const forms = keys.map((key) => ({ key, title: key, edition: 1 }) as CatalogForm);

/** Somebody who may do just these things. */
function asker(deeds: ReadonlySet<string>): Asker {
  const has = (key: string, deed: string) => deeds.has(`${key} ${deed}`);
  const rights = { place: (key: string) => has('place', key), table: has, form: has };
  return { rights } as unknown as Asker;
}

const all = keys.flatMap((key) => [...tableActs, ...formActs].map((deed) => `${key} ${deed}`));
const anyDeeds = fc.subarray([...all, 'place forms', 'place tables']).map((some) => new Set(some));

describe('what somebody may do', () => {
  it('is told of each table and form, whatever most have in common', () => {
    fc.assert(
      fc.property(anyDeeds, (deeds) => {
        const may = mayAnswer.parse(mayOf(asker(deeds), house, forms));
        for (const key of keys) {
          const told = {
            tables: may.tables.others[key] ?? may.tables.most,
            forms: may.forms.others[key] ?? may.forms.most,
          };
          expect(told.tables).toEqual(tableActs.filter((deed) => deeds.has(`${key} ${deed}`)));
          expect(told.forms).toEqual(formActs.filter((deed) => deeds.has(`${key} ${deed}`)));
        }
      }),
    );
  });

  it('is told in few words, however many tables there are', () => {
    const many = Array.from({ length: 1000 }, (_, i) => table(`t_${i}`, [column('name')]));
    const large = houseOf(many.map((one) => [one.key, one] as const));
    const deeds = new Set(many.map(({ key }) => `${key} see`));
    deeds.add('t_7 change');
    const { tables } = mayOf(asker(deeds), large, []);
    expect(tables).toEqual({ most: ['see'], others: { t_7: ['see', 'change'] } });
  });

  it('is what one can go to', () => {
    const seen = placesOf(asker(new Set(['loan fill', 'town design'])), house, forms);
    const goes = seen.map(({ href }) => href).filter((href) => href.startsWith('/forms'));
    expect(goes).toEqual(['/forms/loan', '/forms/town/design']);
    expect(seen.some(({ href }) => href.endsWith('?draft'))).toBe(false);
    const designer = placesOf(asker(new Set(['place forms'])), house, forms);
    expect(designer.filter(({ href }) => href.endsWith('?draft'))).toHaveLength(keys.length);
  });
});
