import { describe, expect, it } from 'vitest';
import { field, lookupOf, planOf } from '../../../tests/support/definitions';
import { saleTables, saleWorld } from '../../../tests/support/histories';
import { readerOf } from '../../../tests/support/world';
import { plainGrid } from '$lib/core/plan/draft';
import type { Plan } from '$lib/core/plan/schema';
import { recordRehearsal, runAsRecorded } from '$lib/core/rehearsal/run';
import { wireForm } from '$lib/core/wiring/form';
import { RehearsalWords } from './rehearsal-words';

function salePlan(total: string): Plan {
  const plan = planOf('sale', [
    field('item', { label: 'Item', savesTo: 'item', choices: lookupOf('item') }),
    field('qty', { label: 'Quantity', savesTo: 'qty' }),
    field('total', { label: 'Total', savesTo: 'total', computes: total }),
  ]);
  const lines = {
    ...{ key: 'lines', title: 'Lines', columns: 1 as const, page: null },
    grid: plainGrid('line', 'sale'),
    fields: [field('fee', { label: 'Fee', savesTo: 'fee' })],
  };
  return { ...plan, sections: [...plan.sections, lines] };
}

const script = {
  ...{ begins: null, person: {}, link: {}, asked: {} },
  ...{ today: '2027-03-01', now: '2027-03-01T09:00:00Z' },
  steps: [
    { do: 'set' as const, at: 'item', value: 2 },
    { do: 'type' as const, at: 'qty', text: 'many' },
    { do: 'set' as const, at: 'qty', value: 3 },
    { do: 'add' as const, grid: 'lines', within: '' },
    { do: 'set' as const, at: 'lines[0].fee', value: '1.50' },
  ],
};

describe('a rehearsal in words', () => {
  it('says what was done, with records as people know them', async () => {
    const form = wireForm(salePlan('item.price * qty'), saleTables);
    const rehearsal = await recordRehearsal(form, script, readerOf(saleWorld, form));
    const words = new RehearsalWords(form, saleTables, rehearsal);
    expect(script.steps.map((step) => words.step(step))).toEqual([
      'Item became B',
      '“many” was typed into Quantity',
      'Quantity became 3',
      'A line was added to Lines',
      'Lines, line 1, Fee became 1.50',
    ]);
  });

  it('says what was expected and what came, of what is written only what differs', async () => {
    const form = wireForm(salePlan('item.price * qty'), saleTables);
    const rehearsal = await recordRehearsal(form, script, readerOf(saleWorld, form));
    const changed = wireForm(salePlan('item.price * qty + 1'), saleTables);
    const { verdict } = await runAsRecorded(changed, rehearsal);
    const words = new RehearsalWords(changed, saleTables, rehearsal);
    const wrong = verdict.lines.filter(({ fits }) => !fits);
    const said = wrong.map((line) => [words.about(line), words.expected(line), words.came(line)]);
    expect(said).toEqual([
      ['Total', '60.00', '61.00'],
      ['Written to sale', 'total 60.00', 'total 61.00'],
    ]);
  });

  it('says what is sent otherwise: to where, and only what differs', async () => {
    const sending = (total: string, text: string): Plan => ({
      ...salePlan('item.price * qty'),
      sends: [
        {
          ...{ connection: 'desk', on: 'new', when: null, method: 'POST' },
          ...{ address: 'sales', values: { total, qty: 'qty' } },
        },
      ],
      mails: [{ on: 'new', when: null, to: 'desk@example.org', subject: 'A sale', text }],
    });
    const form = wireForm(sending('total', 'Of {total}'), saleTables);
    const rehearsal = await recordRehearsal(form, script, readerOf(saleWorld, form));
    const told = async (plan: Plan) => {
      const changed = wireForm(plan, saleTables);
      const words = new RehearsalWords(changed, saleTables, rehearsal);
      const { verdict } = await runAsRecorded(changed, rehearsal);
      const wrong = verdict.lines.filter(({ fits }) => !fits);
      return wrong.map((line) => [words.about(line), words.expected(line), words.came(line)]);
    };
    expect(await told(sending('total + 1', 'It is {total}'))).toEqual([
      ['Told to desk?', 'total 60', 'total 61'],
      ['Told by e-mail', '“Of 60.00”', '“It is 60.00”'],
    ]);
    expect(await told(salePlan('item.price * qty'))).toEqual([
      ['Told to desk?', 'POST /sales, total 60, qty 3', 'none'],
      ['Told by e-mail', 'to desk@example.org, “A sale”, “Of 60.00”', 'none'],
    ]);
  });

  it('says of a field that is gone, not shown, or refused, that it is', async () => {
    const form = wireForm(salePlan('item.price * qty'), saleTables);
    const rehearsal = await recordRehearsal(form, script, readerOf(saleWorld, form));
    const words = new RehearsalWords(form, saleTables, rehearsal);
    const line = { of: 'value' as const, at: 'qty', how: 'is' as const, is: 3, step: null };
    const other = { fits: false, unexpected: false };
    expect(words.came({ ...line, ...other, came: undefined })).toBe('the field is gone');
    expect(words.came({ ...line, ...other, came: true })).toBe('not shown');
    const refused = { ...line, of: 'problem' as const, is: null, came: ['check_failed'] };
    expect(words.about({ ...refused, ...other })).toBe('Problems at Quantity');
    expect(words.came({ ...refused, fits: false, unexpected: true })).toBe('a check does not hold');
    expect(words.expected({ ...refused, fits: false, unexpected: true })).toBe('none');
  });
});
