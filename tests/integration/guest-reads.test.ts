import { randomUUID } from 'node:crypto';
import { beforeAll, describe, expect, it } from 'vitest';
import { askSchema, type Answer, type Ask } from '../../src/core/entry/asks';
import { planForGuests } from '../../src/core/plan/for-guests';
import { ProblemError } from '../../src/core/problems';
import { guestReach } from '../../src/core/wiring/guest-reach';
import { wireForm } from '../../src/core/wiring/form';
import { guestReader, mostGuestAsksOutside } from '../../src/server/access/guest-reads';
import { makeForm, publishForm } from '../../src/server/catalog/forms';
import { loadTables } from '../../src/server/catalog/tables';
import { readSchema } from '../../src/server/records/form-read';
import { saveEntry } from '../../src/server/records/save';
import { field, lookupOf, planOf } from '../support/definitions';
import { makeLending, useDatabase } from '../support/house';
import { moved } from '../support/lending';

const held = useDatabase('t_guest_reads');
let id: (table: string, known: number) => number;
let loan: number;

const by = (name: string) =>
  ({ path: name, operator: 'equal', field: name, whileEmpty: 'nothing' }) as const;

/** The guest's ensemble is told, and locked; towns can be chosen freely, ensembles of a town then. */
const plan = planOf('loan', [
  field('ensemble', {
    savesTo: 'ensemble',
    choices: lookupOf('ensemble', { conditions: [] }),
    shows: 'line',
    brings: [{ path: 'email', by: null, into: null, keeps: 'live', editable: false }],
  }),
  field('town', { choices: lookupOf('town'), shows: 'line' }),
  field('rival', { choices: lookupOf('ensemble', { narrowings: [by('town')] }) }),
  field('region', { choices: lookupOf('region') }),
  field('place', { choices: lookupOf('town', { narrowings: [by('region')] }) }),
  field('score', { savesTo: 'score', choices: lookupOf('score'), shows: 'line' }),
  moved('received', 'received'),
  field('note', { savesTo: 'note' }),
]);

beforeAll(async () => {
  id = await makeLending(held.db);
  await makeForm(held.db, { table: 'loan', key: 'mine', plan }, 'test');
  await publishForm(held.db, 'mine', 1, 'test');
  const open = planOf('loan', [
    field('ensemble', { savesTo: 'ensemble', choices: lookupOf('ensemble') }),
    field('score', { savesTo: 'score', choices: lookupOf('score') }),
  ]);
  await makeForm(held.db, { table: 'loan', key: 'full', plan: open }, 'test');
  await publishForm(held.db, 'full', 1, 'test');
  const values = { ensemble: id('ensemble', 21), score: id('score', 32) };
  const made = await saveEntry(
    held.db,
    'full',
    { submission: randomUUID(), edition: 1, values },
    'test',
  );
  loan = made.records[0]?.id ?? 0;
});

async function ask(values: Record<string, unknown>, ...asks: Omit<Ask, 'id'>[]): Promise<Answer[]> {
  const tables = await loadTables(held.db);
  const wished = asks.map((one, i) => askSchema.parse({ id: String(i), ...one }));
  const request = readSchema.parse({ edition: 1, values, asks: wished });
  const read = await guestReader(held.db, tables, plan, loan, request, 'guest');
  return read(request.asks);
}

const shown = (answer: Answer | undefined) =>
  answer && 'choices' in answer ? answer.choices.map((choice) => choice.shown[0]) : answer;

describe('H4 a guest reads what the form of their record offers, and no more', () => {
  it('lists under the values that can be typed there, whatever the request says', async () => {
    const [forged] = await ask(
      { town: id('town', 12) },
      { field: 'rival', given: { town: id('town', 12) }, search: '' },
    );
    // The town is only shown, and empty: nothing is offered for it.
    expect(shown(forged)).toEqual([]);
    const [free] = await ask(
      { region: id('region', 1) },
      { field: 'place', given: { region: id('region', 2) }, search: '' },
    );
    expect(shown(free)).toEqual(['Town 11', 'Town 12']);
  });

  it('shows, and is searched by, the columns meant for guests', async () => {
    const narrowed = lookupOf('ensemble', { shown: ['name', 'email'], guests: ['name'] });
    const open = planOf('loan', [
      field('ensemble', { savesTo: 'ensemble', choices: narrowed }),
      field('town', { choices: lookupOf('town', { shown: ['name', 'region.name'] }) }),
    ]);
    const ofGuests = planForGuests(open);
    expect(ofGuests.sections[0]?.fields[1]).toEqual(open.sections[0]?.fields[1]);
    const tables = await loadTables(held.db);
    const asks = ['', 'example.org', 'Ensemble 21'].map((search, i) =>
      askSchema.parse({ id: String(i), field: 'ensemble', search }),
    );
    const request = readSchema.parse({ edition: 1, values: {}, asks });
    const read = await guestReader(held.db, tables, ofGuests, null, request, 'guest');
    const [all, byAddress, byName] = await read(request.asks);
    expect(JSON.stringify(all)).not.toContain('example.org');
    expect(shown(byAddress)).toEqual([]);
    expect(shown(byName)).toEqual(['Ensemble 21']);
    const reach = guestReach(wireForm(ofGuests, tables));
    expect(reach.map(({ what }) => what)).toContain('ensemble: name');
  });

  it('columns of the record that stands there, and of none that was put in its place', async () => {
    const facts = (values: object, current: number) =>
      ask({ ...values }, { field: 'ensemble', kind: 'record', current });
    expect(await facts({}, id('ensemble', 21))).toMatchObject([
      { record: { email: 'o@example.org' } },
    ]);
    for (const values of [{}, { ensemble: id('ensemble', 22) }]) {
      // Whatever is asked for, it is the guest's own that is told.
      expect(await facts(values, id('ensemble', 22))).toMatchObject([
        { record: { email: 'o@example.org' } },
      ]);
    }
  });

  it('how a record is shown only where it is offered', async () => {
    const [named] = await ask(
      { place: id('town', 12) },
      { field: 'place', given: { region: id('region', 1) }, current: id('town', 12) },
    );
    // Without a region no town is offered, and so none is named.
    expect(JSON.stringify(named)).not.toContain('Town 12');
  });

  it('aggregates of its own records', async () => {
    const rolled = (values: object, score: number) =>
      ask({ ...values }, { field: 'received', kind: 'value', given: { score } });
    const own = await rolled({}, id('score', 32));
    expect(own).toMatchObject([{ value: 2 }]);
    expect(await rolled({ score: id('score', 31) }, id('score', 31))).toMatchObject([{ value: 2 }]);
  });

  it('so much of systems outside in one request, and no more', async () => {
    const outside = { query: 'offers', column: 'price', given: [] };
    const asking = planOf('loan', [field('price', { outside })]);
    const tables = await loadTables(held.db);
    const reader = (count: number) => {
      const asks = Array.from({ length: count }, (_, i) =>
        askSchema.parse({ id: String(i), field: 'price', kind: 'value' }),
      );
      const request = readSchema.parse({ edition: 1, asks });
      return guestReader(held.db, tables, asking, loan, request, 'guest');
    };
    await expect(reader(mostGuestAsksOutside + 1)).rejects.toMatchObject({ status: 429 });
    expect(await reader(mostGuestAsksOutside)).toBeTypeOf('function');
  });

  it('nothing of another record, or of what the form has not', async () => {
    const gone = ask({}, { field: 'price', search: '' });
    await expect(gone).rejects.toBeInstanceOf(ProblemError);
    const row = ask({}, { field: 'note', grid: 'lines', row: 'r1' });
    await expect(row).rejects.toBeInstanceOf(ProblemError);
  });
});
