import { describe, expect, it } from 'vitest';
import { extra, field, lookupOf, planOf } from '../../../tests/support/definitions';
import { saleTables } from '../../../tests/support/histories';
import type { ExtraWrite, Plan, Send } from '../plan/schema';
import type { Value } from '../values/types';
import { wireForm } from '../wiring/form';
import { planSave } from './all-problems';
import { Entry } from './entry';

const fields = [
  field('note', { savesTo: 'note' }),
  field('qty', { savesTo: 'qty' }),
  field('words', { holds: { kind: 'long_text' } }),
  field('item', { savesTo: 'item', choices: lookupOf('item') }),
];
const long = 'a'.repeat(2000);

function planned(more: Partial<Plan>, values: Record<string, Value>) {
  const entry = new Entry(wireForm(planOf('sale', fields, more), saleTables), {
    mode: 'resumed',
    values,
  });
  const { problems, writes, sends } = planSave(entry);
  return { problems: problems.map(({ path, code }) => `${path} ${code}`), writes, sends };
}

const besides = (values: Record<string, string>, more: Partial<ExtraWrite> = {}) => ({
  writes: [extra('sale', values, more)],
});
const told = (more: Partial<Send>): Partial<Plan> => ({
  sends: [
    { connection: 'desk', on: 'new', when: null, method: 'POST', address: '', values: {}, ...more },
  ],
});

describe('R2 what does not fit is a problem at the field that causes it', () => {
  it.each<[string, Partial<Plan>, Record<string, Value>, string[]]>([
    [
      'a text too long for its column',
      besides({ note: 'note + note' }),
      { note: 'a'.repeat(200) },
      ['note too_long'],
    ],
    [
      'a number too large',
      besides({ total: 'qty * 10 ** 12' }),
      { qty: 5 },
      ['qty too_many_digits'],
    ],
    [
      'a formula without an end',
      besides({ qty: 'count(for i in 1..qty return i)' }),
      { qty: 999_999_999 },
      ['qty formula_too_many_steps'],
    ],
    [
      'a condition without an end',
      besides({ qty: '1' }, { when: 'count(for i in 1..qty return i) > 1' }),
      { qty: 999_999_999 },
      ['qty formula_too_many_steps'],
    ],
    [
      'an address too long',
      told({ address: '/notes/{what}', values: { what: 'words' } }),
      { words: 'a'.repeat(1500) },
      ['words address_too_long'],
    ],
    [
      'a value sent without an end',
      told({ values: { n: 'count(for i in 1..qty return i)' } }),
      { qty: 999_999_999 },
      ['qty formula_too_many_steps'],
    ],
    [
      'something with parts that is sent',
      told({ values: { n: 'get value({a: [1, 2]}, note)' } }),
      { note: 'a' },
      ['note not_told'],
    ],
    ['what fits', besides({ note: 'note', total: 'qty * 2' }), { note: 'a', qty: 2 }, []],
  ])('%s', (_, more, values, problems) => {
    expect(planned(more, values).problems).toEqual(problems);
  });

  it('nothing is cut on its way out', () => {
    const { sends } = planned(told({ address: '/n/{what}', values: { what: 'words' } }), {
      words: long,
    });
    expect(sends[0]?.address).toHaveLength(long.length + 3);
  });

  it('the record being saved can be named in what is written besides', () => {
    const { writes, problems } = planned(
      { writes: [extra('line', { sale: 'record', fee: 'qty' })] },
      { qty: 2 },
    );
    expect(problems).toEqual([]);
    expect(writes[1]?.values).toEqual({ sale: { madeBy: 0 }, fee: '2.00' });
  });
});
