import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { field, lookupOf, planOf } from '../../../tests/support/definitions';
import { openedSale, saleTables, saleWorld } from '../../../tests/support/histories';
import { readerOf, type World } from '../../../tests/support/world';
import { openedBeginning } from '../entry/beginning';
import { Entry } from '../entry/entry';
import { settle } from '../entry/settle';
import { plainGrid } from '../plan/draft';
import type { Field, Plan } from '../plan/schema';
import { wireForm } from '../wiring/form';
import { type Expectation, rehearsalSchema, type Rehearsal, type Script } from './rehearsal';
import { acceptRehearsal, recordRehearsal, runAsNow, runAsRecorded } from './run';
import { stepsOf } from './steps';

const saved = (key: string, more: Partial<Field> = {}) => field(key, { savesTo: key, ...more });

const bySpecial = {
  path: 'special',
  operator: 'equal',
  field: 'flag',
  whileEmpty: 'everything',
} as const;

/** A sale: the item stands before what narrows it, and lines have fees of their own items. */
function salePlan(total = 'item.price * qty', more: Partial<Field> = {}): Plan {
  const plan = planOf('sale', [
    saved('item', { choices: lookupOf('item', { narrowings: [bySpecial] }), required: true }),
    saved('flag'),
    saved('qty', { checks: [{ holds: 'qty < 5', message: 'At most four.' }], ...more }),
    saved('note', { shownWhen: 'qty > 1' }),
    saved('total', { computes: total }),
  ]);
  const lines = {
    ...{ key: 'lines', title: 'Lines', columns: 1 as const, page: null },
    grid: plainGrid('line', 'sale'),
    fields: [
      saved('item', { choices: lookupOf('item') }),
      saved('fee', { initially: 'item.price' }),
    ],
  };
  return { ...plan, sections: [...plan.sections, lines] };
}

/** The same with other fields above its lines. */
function changed(change: (one: Field) => Field | null): Plan {
  const plan = salePlan();
  const sections = plan.sections.map((section, i) =>
    i > 0 ? section : { ...section, fields: section.fields.flatMap((one) => change(one) ?? []) },
  );
  return { ...plan, sections };
}

const formOf = (plan: Plan) => wireForm(plan, saleTables);
const reader = (plan: Plan, world: World = saleWorld) => readerOf(world, formOf(plan));

const script = (entry: Entry, begins: Script['begins'] = null): Script => ({
  ...{ begins, today: '2027-03-01', now: '2027-03-01T09:00:00Z', person: {}, link: {}, asked: {} },
  steps: stepsOf(entry, begins),
});

/** A filled sale: item 1 of the special ones, three of it, a line with a fee that was typed. */
async function filled(plan: Plan): Promise<Entry> {
  const entry = new Entry(formOf(plan));
  const ask = reader(plan);
  await settle(entry, ask);
  entry.set('flag', true);
  entry.set('item', 1);
  await settle(entry, ask);
  entry.set('qty', 3);
  entry.set('note', 'by hand');
  const row = entry.addRow('lines');
  entry.set('item', 2, null, row);
  await settle(entry, ask);
  entry.set('fee', '7.00', null, row);
  await settle(entry, ask);
  return entry;
}

async function kept(plan = salePlan()): Promise<Rehearsal> {
  const entry = await filled(plan);
  return recordRehearsal(formOf(plan), script(entry), reader(plan));
}

const lineAt = (lines: readonly Expectation[], of: string, at: string) =>
  lines.find((line) => line.of === of && line.at === at);

const loosened = (rehearsal: Rehearsal, at: string, how: Expectation['how']): Rehearsal => ({
  ...rehearsal,
  expects: rehearsal.expects.map((one) => (one.at === at ? { ...one, how } : one)),
});

describe('rehearsals', () => {
  it('keep what was done, each thing after those that it hangs on', async () => {
    const { steps, expects } = await kept();
    const places = steps.map((step) => (step.do === 'add' ? step.grid : step.at));
    expect(places).toEqual([
      ...['flag', 'item', 'qty', 'note', 'lines', 'lines[0].item', 'lines[0].fee'],
    ]);
    expect(lineAt(expects, 'value', 'total')?.is).toBe('30.00');
    expect(lineAt(expects, 'offers', 'item')?.is).toBe(1);
    expect(lineAt(expects, 'write', 'lines[0]')?.is).toMatchObject({
      ...{ action: 'insert', table: 'line' },
      values: { item: 2, fee: '7.00' },
    });
  });

  it('hold as recorded, whatever has become of the tables, and tell as things are now', async () => {
    const rehearsal = await kept();
    const plan = salePlan();
    const { verdict, unheard } = await runAsRecorded(formOf(plan), rehearsal);
    expect(unheard).toEqual([]);
    expect(verdict.lines.filter(({ fits }) => !fits)).toEqual([]);
    expect(verdict.holds).toBe(true);
    const dearer = {
      ...saleWorld,
      item: (saleWorld.item ?? []).map((one) => ({ ...one, price: '11.00' })),
    };
    const now = await runAsNow(formOf(plan), rehearsal, reader(plan, dearer));
    expect(now.verdict.holds).toBe(false);
    expect(now.verdict.lines.find(({ at, of }) => at === 'total' && of === 'value')).toMatchObject({
      ...{ is: '30.00', came: '33.00', fits: false },
    });
  });

  it('tell what a changed formula makes of them, and after which step', async () => {
    const rehearsal = await kept();
    const { verdict } = await runAsRecorded(formOf(salePlan('item.price * qty + 1')), rehearsal);
    const wrong = verdict.lines.filter(({ fits }) => !fits);
    expect(wrong.map(({ of, at }) => `${of} ${at}`)).toEqual(['value total', 'write ']);
    // With the item alone there is no total yet: the third step, the quantity, makes the first.
    expect(wrong[0]).toMatchObject({ is: '30.00', came: '31.00', step: 3 });
  });

  it('may expect less of a line', async () => {
    const rehearsal = loosened(await kept(), '', 'any');
    const more = formOf(salePlan('item.price * qty + 1'));
    const holds = async (how: Expectation['how']) =>
      (await runAsRecorded(more, loosened(rehearsal, 'total', how))).verdict.holds;
    expect(await holds('is')).toBe(false);
    expect(await holds('at_least')).toBe(true);
    expect(await holds('at_most')).toBe(false);
    expect(await holds('any')).toBe(true);
  });

  it('tell a problem that was not expected, and a field that is not shown any more', async () => {
    const rehearsal = await kept();
    const stricter = salePlan('item.price * qty', {
      checks: [{ holds: 'qty < 3', message: 'At most two.' }],
    });
    const { verdict } = await runAsRecorded(formOf(stricter), rehearsal);
    expect(verdict.lines.filter(({ fits }) => !fits)).toMatchObject([
      { of: 'problem', at: 'qty', unexpected: true, came: ['check_failed'] },
    ]);
    const hiding = changed((one) => (one.key === 'note' ? { ...one, shownWhen: 'qty > 9' } : one));
    const run = await runAsRecorded(formOf(hiding), rehearsal);
    expect(run.verdict.lost).toEqual([3]);
    expect(lineAt(run.verdict.lines, 'value', 'note')).toMatchObject({ fits: false, came: true });
  });

  it('tell a field and a grid that are gone, and go on without them once that is accepted', async () => {
    const rehearsal = await kept();
    const all = changed((one) => (one.key === 'note' ? null : one));
    const less = { ...all, sections: all.sections.slice(0, 1) };
    const { verdict } = await runAsRecorded(formOf(less), rehearsal);
    expect(verdict.lost).toEqual([3, 4, 5, 6]);
    expect(verdict.holds).toBe(false);
    const accepted = await acceptRehearsal(formOf(less), rehearsal, reader(less));
    expect(accepted.steps).toHaveLength(3);
    expect((await runAsRecorded(formOf(less), accepted)).verdict.holds).toBe(true);
  });

  it('ask anew what is asked otherwise than it was recorded', async () => {
    const rehearsal = await kept();
    const choices = lookupOf('item', { narrowings: [] });
    const wider = changed((one) => (one.key === 'item' ? { ...one, choices } : one));
    const alone = await runAsRecorded(formOf(wider), rehearsal);
    expect(alone.unheard.map(({ kind, field }) => `${kind} ${field}`)).toContain('list item');
    const asked = await runAsRecorded(formOf(wider), rehearsal, reader(wider));
    expect(lineAt(asked.verdict.lines, 'offers', 'item')).toMatchObject({ is: 1, came: 3 });
    const accepted = await acceptRehearsal(formOf(wider), rehearsal, reader(wider));
    const again = await runAsRecorded(formOf(wider), accepted);
    expect(again).toMatchObject({ unheard: [], verdict: { holds: true } });
  });

  it('tell two records apart that are written besides into the same table', async () => {
    const extra = (amount: string) => ({
      ...{ table: 'item', each: null, record: null, when: null, on: 'new' as const },
      values: { name: '"x"', price: amount },
    });
    const plan = { ...salePlan(), writes: [extra('1'), extra('qty')] };
    const form = formOf(plan);
    const rehearsal = await kept(plan);
    const { verdict } = await runAsRecorded(form, rehearsal);
    expect(verdict.holds).toBe(true);
    const written = rehearsal.expects.filter(({ of }) => of === 'write').map(({ is }) => is);
    expect(written.filter((one) => (one as { table: string }).table === 'item')).toHaveLength(2);
  });

  it('tell what would be sent to other systems and by e-mail, and what is sent unexpectedly', async () => {
    const send = (values: Record<string, string>) => ({
      ...{ connection: 'desk', on: 'new' as const, when: null, method: 'POST' as const },
      ...{ address: 'sales/{qty}', values: { qty: 'qty', ...values } },
    });
    const mail = { on: 'new' as const, when: null, to: 'desk@example.org', subject: 'A sale' };
    const sending = (total: string, text: string): Plan => ({
      ...salePlan(),
      sends: [send({ total })],
      mails: [{ ...mail, text }],
    });
    const plan = sending('total', 'It comes to {total}.');
    const rehearsal = await kept(plan);
    expect(lineAt(rehearsal.expects, 'send', '')?.is).toEqual({
      ...{ connection: 'desk', method: 'POST', address: '/sales/3', body: { total: '30' } },
    });
    expect(lineAt(rehearsal.expects, 'mail', '')?.is).toEqual({
      ...{ to: ['desk@example.org'], people: [], subject: 'A sale', text: 'It comes to 30.00.' },
    });
    const wrong = async (changed: Plan) => {
      const { verdict } = await runAsRecorded(formOf(changed), rehearsal);
      return verdict.lines
        .filter(({ fits }) => !fits)
        .map(({ of, unexpected }) => [of, unexpected]);
    };
    expect(await wrong(plan)).toEqual([]);
    expect(await wrong(sending('total + 1', 'It comes to {total}.'))).toEqual([['send', false]]);
    expect(await wrong(sending('total', 'It is {total}.'))).toEqual([['mail', false]]);
    expect(await wrong(salePlan())).toEqual([
      ['send', false],
      ['mail', false],
    ]);
    const twice = { ...plan, sends: [...(plan.sends ?? []), send({})] };
    expect(await wrong(twice)).toEqual([['send', true]]);
    expect(rehearsalSchema.parse(JSON.parse(JSON.stringify(rehearsal)))).toEqual(rehearsal);
  });

  it('leave out steps at nothing, at fields that nobody fills, and with values that are none', async () => {
    const plan = salePlan();
    const steps: Script['steps'] = [
      { do: 'set', at: 'qty', value: 'many' },
      { do: 'set', at: 'qty', value: [1, 2] },
      { do: 'set', at: 'qty', value: 2 },
      { do: 'set', at: 'total', value: '1.00' },
      { do: 'set', at: 'item', value: 'A' },
      { do: 'set', at: 'nowhere', value: 1 },
      { do: 'set', at: 'lines[7].fee', value: '1.00' },
      { do: 'set', at: 'lines[0]', value: 1 },
      { do: 'type', at: '__proto__', text: 'x' },
      { do: 'add', grid: 'nowhere', within: '' },
      { do: 'add', grid: 'lines', within: 'lines[3]' },
      { do: 'add', grid: 'lines', within: '' },
      { do: 'set', at: 'lines[0].fee', value: { a: 1 } as never },
      { do: 'remove', at: 'lines[9]' },
      { do: 'remove', at: 'qty' },
    ];
    const begins = new Entry(formOf(plan));
    const made = await recordRehearsal(formOf(plan), { ...script(begins), steps }, reader(plan));
    expect(made.steps).toEqual([
      { do: 'set', at: 'qty', value: 2 },
      { do: 'add', grid: 'lines', within: '' },
    ]);
    expect((await runAsRecorded(formOf(plan), made)).verdict.holds).toBe(true);
  });

  it('are read only where each line could have been seen so', async () => {
    const rehearsal = await kept();
    expect(rehearsalSchema.safeParse(rehearsal).success).toBe(true);
    const line = { at: '', how: 'is' as const };
    for (const wrong of [
      { ...line, of: 'write', is: null },
      { ...line, of: 'write', is: { table: 'sale' } },
      { ...line, of: 'write' },
      { ...line, of: 'send', is: { connection: 'desk' } },
      { ...line, of: 'mail', is: 'a text' },
      { ...line, of: 'problem', is: 'required' },
      { ...line, of: 'problem', is: [1] },
      { ...line, of: 'value' },
      { ...line, of: 'dance', is: 1 },
    ]) {
      const read = rehearsalSchema.safeParse({ ...rehearsal, expects: [wrong] });
      expect(read.success, JSON.stringify(wrong)).toBe(false);
    }
    expect(rehearsalSchema.safeParse({ ...rehearsal, today: 'soon' }).success).toBe(false);
  });

  it('keep what was loosened when what came is accepted', async () => {
    const rehearsal = loosened(await kept(), 'qty', 'any');
    const plan = salePlan();
    const accepted = await acceptRehearsal(formOf(plan), rehearsal, reader(plan));
    expect(lineAt(accepted.expects, 'value', 'qty')?.how).toBe('any');
    expect(lineAt(accepted.expects, 'value', 'total')?.how).toBe('is');
  });

  it('go on with a stored record: what was changed, added and taken out', async () => {
    const plan = salePlan();
    const form = formOf(plan);
    const opened = openedSale(form, {
      sale: { item: 2, qty: 1, flag: false, total: '20.00' },
      lines: [
        { item: 1, fee: '10.00', subs: [] },
        { item: 2, fee: '20.00', subs: [] },
      ],
    });
    const entry = new Entry(form, openedBeginning(opened));
    const ask = reader(plan);
    await settle(entry, ask);
    for (const row of entry.rows('lines').slice(0, 1)) entry.removeRow(row);
    entry.set('fee', '21.00', null, entry.rows('lines')[0]);
    entry.set('qty', 2);
    entry.set('item', 3, null, entry.addRow('lines'));
    await settle(entry, ask);
    const steps = stepsOf(entry, opened);
    expect(steps).toEqual([
      { do: 'remove', at: 'lines[0]' },
      { do: 'set', at: 'qty', value: 2 },
      { do: 'set', at: 'lines[0].fee', value: '21.00' },
      { do: 'add', grid: 'lines', within: '' },
      { do: 'set', at: 'lines[1].item', value: 3 },
    ]);
    const rehearsal = await recordRehearsal(form, script(entry, opened), ask);
    expect(lineAt(rehearsal.expects, 'value', 'total')?.is).toBe('40.00');
    const writes = rehearsal.expects.filter(({ of }) => of === 'write').map(({ is }) => is);
    expect(writes.map((one) => (one as { action: string }).action)).toEqual([
      ...['update', 'update', 'insert', 'delete'],
    ]);
    expect((await runAsRecorded(form, rehearsal)).verdict.holds).toBe(true);
  });

  it('hold on the plan they were recorded with, whatever was filled in, and survive being kept', async () => {
    const value = fc.oneof(fc.constant(null), fc.integer({ min: 0, max: 9 }));
    const filling = fc.record({
      item: fc.constantFrom(null, 1, 2, 3),
      flag: fc.constantFrom(null, true, false),
      qty: value,
      note: fc.constantFrom(null, 'x'),
      rows: fc.array(fc.constantFrom(null, 1, 3), { maxLength: 3 }),
      wrong: fc.boolean(),
    });
    await fc.assert(
      fc.asyncProperty(filling, async ({ rows, wrong, ...values }) => {
        const plan = salePlan();
        const entry = new Entry(formOf(plan));
        for (const [key, one] of Object.entries(values)) entry.set(key, one);
        for (const item of rows) entry.set('item', item, null, entry.addRow('lines'));
        if (wrong) entry.type('qty', 'many');
        await settle(entry, reader(plan));
        const rehearsal = await recordRehearsal(formOf(plan), script(entry), reader(plan));
        const again = rehearsalSchema.parse(JSON.parse(JSON.stringify(rehearsal)));
        const { verdict, unheard } = await runAsRecorded(formOf(plan), again);
        expect(unheard).toEqual([]);
        expect(verdict.lines.filter(({ fits }) => !fits)).toEqual([]);
        expect(verdict.lost).toEqual([]);
        // What it plays comes to what stood on the screen.
        const told = entry.values();
        const played = Object.fromEntries(
          rehearsal.expects.filter(({ of }) => of === 'value').map(({ at, is }) => [at, is]),
        );
        for (const [key, is] of Object.entries(told)) expect(played[key] ?? null).toEqual(is);
      }),
      { numRuns: 150 },
    );
  });
});
