import { beforeAll, describe, expect, it } from 'vitest';
import { retypeRequest } from '../../src/core/contract/requests';
import { roleSchema } from '../../src/core/access/role';
import type { ProblemError } from '../../src/core/problems';
import { keepRole, removeRole } from '../../src/server/access/roles';
import { makeForm, publishForm } from '../../src/server/catalog/forms';
import {
  lookAtRetype,
  retypeColumn,
  unretypeColumn,
  waysBack,
} from '../../src/server/catalog/retype';
import { removeColumn } from '../../src/server/catalog/restructure';
import {
  addTableColumn,
  loadTables,
  makeTable,
  relabelTable,
  tableFrom,
} from '../../src/server/catalog/tables';
import { tableSql } from '../../src/server/database/ddl';
import { finishStructureChanges } from '../../src/server/database/structure';
import { readRecords } from '../../src/server/records/read';
import { addRecord, changeRecord } from '../../src/server/records/write';
import { historyOf, restoreRecord, undoSave } from '../../src/server/records/history';
import { plainText } from '../../src/core/values/types';
import { column, field, planOf, reference, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_retype');
const house = () => loadTables(held.db);
const add = async (key: string, values: Record<string, unknown>) => {
  const all = await house();
  return (await addRecord(held.db, all, tableFrom(all, key), values, 'test')).id;
};
const rows = async (key: string) => {
  const all = await house();
  const wish = { filter: [], sort: [{ path: 'id', descending: false }], limit: 100 };
  return (await readRecords(held.db, all, tableFrom(all, key), wish)).records;
};
const values = async (key: string, of: string) => (await rows(key)).map((row) => row.values[of]);
const wish = (given: object) => retypeRequest.parse(given);
const retype = (key: string, of: string, given: object) =>
  retypeColumn(held.db, key, of, wish(given), 'test');
const refused = (work: Promise<unknown>) =>
  work.then(
    () => expect.fail('nothing was refused'),
    (error: unknown) => (error as ProblemError).problems.map(({ code }) => code),
  );

beforeAll(async () => {
  const { db } = held;
  await makeTable(db, table('town', [column('name', { unique: true, required: true })]), 'test');
  await makeTable(
    db,
    table('visit', [column('town'), column('on'), column('cost'), column('note')]),
    'test',
  );
  for (const name of ['Velden', 'Oakhurst']) await add('town', { name });
  const given = [
    ['Velden', '31/01/2026', '12.50', 'a'],
    ['velden', '01/02/2026', '7', 'b'],
    ['Oakhurst', '2026-02-03', 'on request', 'c'],
    ['Saltmere', null, null, 'd'],
    [null, '', null, 'e'],
  ];
  for (const [town, on, cost, note] of given) await add('visit', { town, on, cost, note });
});

describe('A9 a column gets another type', () => {
  it('is told what becomes of every value, and changes nothing by that', async () => {
    const decimal = { kind: 'decimal', precision: 8, scale: 2 };
    const told = await lookAtRetype(held.db, 'visit', 'cost', wish({ type: decimal }));
    expect(told).toMatchObject({
      ...{ records: 5, fits: 2, empty: 2, misfitting: 1 },
      misfits: [{ text: 'on request', count: 1 }],
    });
    expect(await values('visit', 'cost')).toEqual(['12.50', '7', 'on request', null, null]);
    expect(await refused(retype('visit', 'cost', { type: decimal }))).toEqual(['retype_misfits']);
  });

  it('carries values over, corrected on the way, and goes back in one step', async () => {
    const type = { kind: 'decimal', precision: 8, scale: 2 };
    await retype('visit', 'cost', { type, corrections: { 'on request': '99' } });
    expect(await values('visit', 'cost')).toEqual(['12.50', '7.00', '99.00', null, null]);
    expect(await waysBack(held.db, 'visit')).toMatchObject({ cost: expect.any(String) });
    const [first, , third] = await rows('visit');
    const all = await house();
    await changeRecord(
      ...([held.db, all, tableFrom(all, 'visit'), first?.id ?? 0, first?.version ?? 0] as const),
      ...([{ cost: '13.00' }, 'test'] as const),
    );
    await unretypeColumn(held.db, 'visit', 'cost', 'test');
    // What was changed since stays changed; what nobody has touched is as it was.
    expect(await values('visit', 'cost')).toEqual(['13.00', '7', 'on request', null, null]);
    expect(third?.values.cost).toBe('99.00');
    // And forth again.
    await unretypeColumn(held.db, 'visit', 'cost', 'test');
    expect((await values('visit', 'cost')).slice(1)).toEqual(['7.00', '99.00', null, null]);
  });

  it('turns texts into references, by the column that names the others', async () => {
    const type = { kind: 'reference', table: 'town' };
    const told = await lookAtRetype(held.db, 'visit', 'town', wish({ type, by: 'name' }));
    expect(told).toMatchObject({ fits: 3, misfits: [{ text: 'Saltmere', count: 1 }] });
    await retype('visit', 'town', { type, by: 'name', empties: true });
    const [velden, same, oakhurst, ...others] = await values('visit', 'town');
    expect([velden, others]).toEqual([same, [null, null]]);
    expect(oakhurst).not.toBe(velden);
    // It is a reference in earnest: its record cannot go, and nothing else can stand there.
    const sql = `delete from ${tableSql(held.db, 'town')} where id = ?`;
    await expect(held.db.knex.raw(sql, [velden as number])).rejects.toThrow(/foreign key/);
    await expect(add('visit', { town: 4711 })).rejects.toMatchObject({ status: 422 });
    await unretypeColumn(held.db, 'visit', 'town', 'test');
    expect(await values('visit', 'town')).toEqual([
      'Velden',
      'velden',
      'Oakhurst',
      'Saltmere',
      null,
    ]);
    await expect(held.db.knex.raw(sql, [0])).resolves.toBeDefined();
  });

  it('reads days as they are written, and becomes required and unique only where that holds', async () => {
    const type = { kind: 'date' };
    expect(await refused(retype('visit', 'on', { type, required: true }))).toEqual(
      expect.arrayContaining([expect.stringMatching(/column_needs_values|retype_misfits/)]),
    );
    await retype('visit', 'on', { type, empties: true });
    expect((await values('visit', 'on'))[2]).toBe('2026-02-03');
    const text = { kind: 'text', format: 'plain', length: 40 };
    expect(await refused(retype('visit', 'town', { type: text, unique: true }))).toEqual([
      'column_has_doubles',
    ]);
    await retype('visit', 'note', { type: text, unique: true, required: true });
    await expect(add('visit', { note: 'a' })).rejects.toMatchObject({ status: 422 });
  });

  it('is refused where a form in use or a view would not stand any more, and told why', async () => {
    await makeTable(held.db, table('trip', [reference('town'), column('name')]), 'test');
    const fields = [
      field('name', { savesTo: 'name' }),
      field('loud', {
        holds: { kind: 'text', format: 'plain', length: 80 },
        computes: 'upper case(name)',
      }),
    ];
    await makeForm(held.db, { table: 'trip', key: 'trip', plan: planOf('trip', fields) }, 'test');
    await publishForm(held.db, 'trip', 1, 'test');
    const told = await lookAtRetype(held.db, 'trip', 'name', wish({ type: { kind: 'date' } }));
    expect(told.breaks).toContainEqual(
      expect.objectContaining({ title: 'Form of trip', inUse: true }),
    );
    expect(await refused(retype('trip', 'name', { type: { kind: 'date' } }))).toEqual([
      'retype_breaks',
    ]);
  });

  it('loses nothing that is written meanwhile: then nothing is changed', async () => {
    const { client } = held.db.long;
    const acquire = client.acquireConnection.bind(client);
    let calls = 0;
    // What becomes of the values is known by then, and the table is not locked yet.
    client.acquireConnection = async () => {
      if (++calls === 2) await add('visit', { town: 'Oakhurst Mill', note: 'mill' });
      return acquire();
    };
    const type = { kind: 'reference', table: 'town' };
    try {
      const done = retype('visit', 'town', { type, by: 'name', empties: true });
      expect(await refused(done)).toEqual(['retype_meanwhile']);
    } finally {
      client.acquireConnection = acquire;
    }
    expect(await values('visit', 'town')).toContain('Oakhurst Mill');
    await retype('visit', 'town', { type, by: 'name', empties: true });
    await unretypeColumn(held.db, 'visit', 'town', 'test');
    expect(await values('visit', 'town')).toContain('Oakhurst Mill');
  });

  it('turns texts into several references, those into one, and goes back by what each was', async () => {
    const { db } = held;
    await makeTable(db, table('choir', [column('towns'), column('name')]), 'test');
    const given = ['Velden; Oakhurst', 'oakhurst', 'Velden, Velden', null, 'Velden and more'];
    for (const [i, towns] of given.entries()) await add('choir', { towns, name: `choir ${i}` });
    const ids = (await rows('town')).map(({ id }) => id);
    const [velden = 0, oakhurst = 0] = ids;
    const several = { type: { kind: 'references', table: 'town', mirrors: null } };
    const told = await lookAtRetype(db, 'choir', 'towns', wish({ ...several, by: 'name' }));
    expect(told).toMatchObject({ records: 5, fits: 3, empty: 1, misfitting: 1 });
    expect(told.misfits).toEqual([{ text: 'Velden and more', count: 1 }]);
    const corrections = { 'Velden and more': 'Oakhurst\nVelden' };
    await retype('choir', 'towns', { ...several, by: 'name', corrections });
    const linked = [[velden, oakhurst], [oakhurst], [velden], null, [velden, oakhurst]];
    expect(await values('choir', 'towns')).toEqual(linked);
    expect(tableFrom(await house(), 'choir').display).toEqual(['name']);

    // One of each is enough only where there is only one.
    const one = { type: { kind: 'reference', table: 'town' } };
    const single = await lookAtRetype(db, 'choir', 'towns', wish(one));
    expect(single).toMatchObject({ fits: 2, misfitting: 2 });
    await retype('choir', 'towns', { ...one, empties: true });
    expect(await values('choir', 'towns')).toEqual([null, oakhurst, velden, null, null]);
    await expect(db.knex.raw(`select * from ${tableSql(db, 'choir__towns')}`)).rejects.toThrow();

    // What was changed since goes back as it is now; the rest as it was.
    const all = await house();
    const [, second] = await rows('choir');
    const change = { id: second?.id ?? 0, version: second?.version ?? 0 };
    const towns = tableFrom(all, 'choir');
    await changeRecord(db, all, towns, change.id, change.version, { towns: velden }, 'test');
    await unretypeColumn(db, 'choir', 'towns', 'test');
    expect(await values('choir', 'towns')).toEqual([
      [velden, oakhurst],
      [velden],
      [velden],
      null,
      [velden, oakhurst],
    ]);
    // As texts they are the lines of the records.
    await retype('choir', 'towns', { type: { kind: 'long_text' } });
    expect((await values('choir', 'towns'))[0]).toBe('Velden; Oakhurst');
    await retype('choir', 'towns', { ...one, by: 'name', empties: true });
    expect(await values('choir', 'towns')).toEqual([null, velden, velden, null, null]);
    await retype('choir', 'towns', { type: { kind: 'long_text' } });
    expect(await values('choir', 'towns')).toEqual([null, 'Velden', 'Velden', null, null]);
  });

  it('keeps links that are shown from their other side', async () => {
    const { db } = held;
    const links = { kind: 'references', table: 'town', mirrors: null } as const;
    await makeTable(db, table('fair', [column('name'), column('towns', { type: links })]), 'test');
    const mirror = { kind: 'references', table: 'fair', mirrors: 'towns' } as const;
    await addTableColumn(db, 'town', column('fairs', { type: mirror }), 'test');
    const plain = { type: { kind: 'long_text' } };
    expect(await refused(retype('fair', 'towns', plain))).toEqual(['retype_breaks']);
    expect(await refused(retype('town', 'fairs', plain))).toEqual(['retype_not']);
  });

  it('never touches a table that is called as its links would be', async () => {
    const { db } = held;
    await makeTable(db, table('pier', [column('name'), column('towns')]), 'test');
    await makeTable(db, table('pier__towns', [column('note')]), 'test');
    await add('pier', { name: 'a', towns: 'Velden' });
    await add('pier__towns', { note: 'stays' });
    const several = { type: { kind: 'references', table: 'town', mirrors: null }, by: 'name' };
    expect(await refused(retype('pier', 'towns', several))).toEqual(['link_name_taken']);
    await retype('pier', 'name', { type: { kind: 'long_text' } });
    await finishStructureChanges(db);
    expect(await values('pier__towns', 'note')).toEqual(['stays']);
    const taken = makeTable(db, table('fair__towns', [column('note')]), 'test');
    expect(await refused(taken)).toEqual(['link_name_taken']);
  });

  it('is changed by one of two people at once, and the other is told or goes on from there', async () => {
    const { db } = held;
    await makeTable(db, table('toll', [column('paid')]), 'test');
    for (const paid of ['1', '2', '3']) await add('toll', { paid });
    const types = [{ kind: 'whole' }, { kind: 'decimal', precision: 8, scale: 2 }];
    const done = await Promise.allSettled(types.map((type) => retype('toll', 'paid', { type })));
    expect(done.map(({ status }) => status)).toEqual(['fulfilled', 'fulfilled']);
    const { type } = tableFrom(await house(), 'toll').columns[0] ?? column('x');
    const now = await values('toll', 'paid');
    expect(now).toEqual(type.kind === 'whole' ? [1, 2, 3] : ['1.00', '2.00', '3.00']);
    // One removes it, the other changes it: either way it is whole, and nothing is left beside it.
    await addTableColumn(db, 'toll', column('note'), 'test');
    const both = await Promise.allSettled([
      removeColumn(db, 'toll', 'paid', 'test'),
      retype('toll', 'paid', { type: { kind: 'long_text' } }),
    ]);
    expect(both[0]?.status).toBe('fulfilled');
    expect(tableFrom(await house(), 'toll').columns.map(({ key }) => key)).toEqual(['note']);
    expect(await values('toll', 'note')).toEqual([null, null, null]);
  });

  it('is refused where a role would let nobody see its records any more', async () => {
    const tables = { visit: { does: ['see'], when: 'town = "Velden"' } };
    const role = roleSchema.parse({ key: 'watcher', title: 'Watcher', tables });
    await keepRole(held.db, role, 'make');
    const type = { kind: 'reference', table: 'town' };
    const told = await lookAtRetype(held.db, 'visit', 'town', wish({ type, by: 'name' }));
    expect(told.breaks).toContainEqual(expect.objectContaining({ title: 'Watcher', inUse: true }));
    await removeRole(held.db, 'watcher');
  });

  it('cannot become what has no values of its own', async () => {
    const part = { key: 'part', label: 'Part', type: plainText, required: false };
    const rows = { kind: 'rows', columns: [part] };
    expect(await refused(retype('visit', 'town', { type: rows }))).toEqual(['retype_not']);
    expect(
      await refused(retype('visit', 'town', { type: { kind: 'code', pattern: 'A-{000}' } })),
    ).toEqual(['retype_not']);
    expect(await refused(retype('visit', 'nothing', { type: { kind: 'date' } }))).toEqual([
      'unknown_column',
    ]);
  });

  it('leaves earlier saves to be undone no more where they would bring back another type', async () => {
    const id = await add('visit', { note: 'later', cost: '5.00' });
    const all = await house();
    const [{ save }] = await held.db
      .knex('journal')
      .withSchema(held.db.catalog)
      .where({ table_key: 'visit', record_id: id })
      .select('save');
    await retype('visit', 'cost', { type: { kind: 'text', format: 'plain', length: 20 } });
    await expect(undoSave(held.db, all, String(save), 'test')).rejects.toMatchObject({
      status: 409,
    });
  });

  it('says what of an earlier state does not fit any more, where that is restored', async () => {
    const type = { kind: 'text', format: 'plain', length: 20 };
    await retype('visit', 'cost', { type });
    const id = await add('visit', { note: 'first', cost: '12,50' });
    let table = tableFrom(await house(), 'visit');
    await changeRecord(held.db, await house(), table, id, 1, { note: 'then', cost: '7' }, 'test');
    await retype('visit', 'cost', { type: { kind: 'decimal', precision: 8, scale: 2 } });
    table = tableFrom(await house(), 'visit');
    const { steps } = await historyOf(held.db, await house(), table, { id, values: null });
    const wish = { id, version: 3, step: steps.at(-1)?.id ?? 0 };
    await expect(restoreRecord(held.db, await house(), table, wish, 'test')).rejects.toMatchObject({
      problems: [{ path: 'cost', code: 'was_other_type', message: expect.stringMatching('12,50') }],
    });
  });

  it.each(['new~note', 'was~note'])(
    'is taken up anew after it was cut off with %s left',
    async (left) => {
      await held.db.knex.raw(
        `alter table ${tableSql(held.db, 'visit')} add column if not exists \`${left}\` int`,
      );
      await held.db
        .knex('structure_change')
        .withSchema(held.db.catalog)
        .insert({
          ...{ table_key: 'visit', goal: 'ready', state: 'intended', by_person: 'test' },
          ...{
            base_revision: 0,
            statement: 'select 1',
            done_when: 'select 1 from dual where false',
          },
          definition: JSON.stringify((await house()).get('visit')),
        });
      await finishStructureChanges(held.db);
      const before = await values('visit', 'note');
      await retype('visit', 'note', { type: { kind: 'long_text' } });
      expect(await values('visit', 'note')).toEqual(before);
      await retype('visit', 'note', { type: { kind: 'text', format: 'plain', length: 40 } });
    },
  );

  it('stands where it is put, and nowhere twice', async () => {
    const order = ['note', 'cost', 'on', 'town'];
    await relabelTable(held.db, 'visit', { order }, 'test');
    expect((await house()).get('visit')?.columns.map(({ key }) => key)).toEqual(order);
    const twice = relabelTable(held.db, 'visit', { order: ['note', 'note', 'cost', 'on'] }, 'test');
    expect(await refused(twice)).toEqual(['columns_order']);
  });
});
