import { querySchema } from '../../src/core/outside/query';
import { formHead, makeForm, publishForm } from '../../src/server/catalog/forms';
import { makeList } from '../../src/server/catalog/lists';
import { keepRehearsal } from '../../src/server/catalog/rehearsals';
import { addTableColumn, loadTables, makeTable, tableFrom } from '../../src/server/catalog/tables';
import type { Database } from '../../src/server/database/connection';
import { rehearsalOf } from '../../src/server/keeping/rehearse';
import { keepConnection } from '../../src/server/outside/connections';
import { allowHosts } from '../../src/server/outside/hosts';
import { keepQuery } from '../../src/server/outside/queries';
import { addRecord } from '../../src/server/records/write';
import { column, field, planOf, reference, table } from './definitions';
import { makeLending } from './house';

export const boats = querySchema.parse({
  ...{ key: 'boats', title: 'Boats', connection: 'register', text: 'boats/{n}' },
  parameters: [{ key: 'n', label: 'N', type: { kind: 'text', format: 'plain', length: 20 } }],
  columns: [
    {
      key: 'name',
      label: 'Name',
      path: 'name',
      type: { kind: 'text', format: 'plain', length: 50 },
    },
  ],
});

/** A house with something of each kind that a package takes along: lists, tables in a circle, a form, a query. */
export async function makePackedHouse(db: Database): Promise<void> {
  const values = [
    { value: 'good', label: 'Good' },
    { value: 'worn', label: 'Worn, but "fine"' },
  ];
  await makeList(
    db,
    { key: 'state', title: 'State', category: '', note: '', of: null, values },
    't',
  );
  await makeLending(db);
  await makeTable(db, table('maker', [column('name')]), 't');
  const columns = [
    column('name', { required: true }),
    column('state', { type: { kind: 'option', list: 'state', options: values } }),
    column('parts', { type: { kind: 'references', table: 'thing', mirrors: null } }),
    column('makers', { type: { kind: 'references', table: 'maker', mirrors: null } }),
    column('cost', { type: { kind: 'decimal', precision: 30, scale: 10 } }),
    column('on', { type: { kind: 'date' } }),
    column('at', { type: { kind: 'date_time' } }),
    column('yes', { type: { kind: 'yes_no' } }),
    column('long', { type: { kind: 'long_text' } }),
  ];
  await makeTable(db, table('thing', columns), 't');
  // Two tables that refer to one another, and links seen from both sides.
  await addTableColumn(db, 'maker', reference('best', 'thing'), 't');
  const things = { kind: 'references', table: 'thing', mirrors: 'makers' } as const;
  await addTableColumn(db, 'maker', column('things', { type: things }), 't');
  const all = await loadTables(db);
  const first = await addRecord(
    db,
    all,
    tableFrom(all, 'thing'),
    {
      ...{ name: '=1+1', state: 'worn', cost: '12345678901234567890.0123456789', yes: false },
      ...{ on: '1899-12-31', at: '2026-03-01T12:30:00Z', long: 'a "quoted",\r\nline; 音楽 🎻' },
    },
    't',
  );
  const second = await addRecord(
    db,
    all,
    tableFrom(all, 'thing'),
    { name: '00017', parts: [first.id] },
    't',
  );
  await addRecord(db, all, tableFrom(all, 'maker'), { name: 'Ada', best: second.id }, 't');
  const plan = planOf('thing', [
    field('name', { savesTo: 'name' }),
    field('state', { savesTo: 'state' }),
  ]);
  await makeForm(db, { table: 'thing', key: 'thing', plan }, 't');
  await publishForm(db, 'thing', 1, 't');
  await allowHosts(db, ['register.example.org']);
  const reach = { kind: 'http' as const, base: 'http://register.example.org/', headers: [] };
  const signing = { ...reach, signIn: 'token' as const, user: '' };
  const register = { key: 'register', title: 'Register', note: '', reach: signing };
  await keepConnection(db, register, 'hush-hush', 't', 'make');
  await keepQuery(db, boats, 't', 'make');
  const form = (await formHead(db, 'thing')).id;
  const stage = { db, house: all, plan };
  const steps = [{ do: 'set' as const, at: 'name', value: 'Kite' }];
  const filling = { steps, asked: {}, link: {}, record: first.id };
  const rehearsal = await rehearsalOf(stage, filling, { name: 't' });
  await keepRehearsal(db, form, { name: 'A kite', rehearsal }, 't');
}
