import { beforeAll, describe, expect, it } from 'vitest';
import { aboutFrom } from '../../src/core/words/about';
import { listForms, makeForm, publishForm } from '../../src/server/catalog/forms';
import { typedElsewhere } from '../../src/server/catalog/lists';
import { formsNaming } from '../../src/server/catalog/plan-uses';
import { loadTables, makeTable } from '../../src/server/catalog/tables';
import { tableSql } from '../../src/server/database/ddl';
import { countTables } from '../../src/server/records/count';
import { column, field, planOf, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_pages');
const many = 40;

beforeAll(async () => {
  for (let i = 0; i < many; i++) {
    const key = `thing_${i}`;
    await makeTable(held.db, table(key, [column('name')]), 'test');
    const plan = planOf(key, [field('name', { savesTo: 'name' })]);
    await makeForm(held.db, { table: key, key: `form_${i}`, plan }, 'test');
    await publishForm(held.db, `form_${i}`, 1, 'test');
  }
}, 120_000);

/** How many statements some work takes. */
async function statements(work: () => Promise<unknown>): Promise<number> {
  let n = 0;
  const count = () => n++;
  held.db.knex.on('query', count);
  try {
    await work();
  } finally {
    held.db.knex.off('query', count);
  }
  return n;
}

describe('pages take few statements, however many tables and forms there are', () => {
  it('what names a table is one look into the index of uses', async () => {
    const forms = await listForms(held.db);
    const house = await loadTables(held.db);
    const naming = (name: string) => formsNaming(held.db, { kind: 'table', name }, forms, house);
    expect((await naming('thing_3')).map(({ form }) => form.key)).toEqual(['form_3']);
    expect(await statements(() => naming('thing_3'))).toBe(1);
  });

  it('typed lists of other forms are read once', async () => {
    const forms = await listForms(held.db);
    await typedElsewhere(held.db, 'form_1', forms);
    expect(await statements(() => typedElsewhere(held.db, 'form_2', forms))).toBe(0);
  });

  it('all tables are counted together, exactly while they are small', async () => {
    const tables = await loadTables(held.db);
    const sql = `insert into ${tableSql(held.db, 'thing_7')} (name, created_by, updated_by) values (?, 't', 't'), (?, 't', 't')`;
    await held.db.knex.raw(sql, ['a', 'b']);
    expect(await statements(() => countTables(held.db, tables))).toBeLessThanOrEqual(2);
    const counts = await countTables(held.db, tables);
    expect([counts.size, counts.get('thing_7'), counts.get('thing_8')]).toEqual([many, 2, 0]);
  });

  it('a large table is told about so', async () => {
    const rows = 30_000;
    await held.db.knex.raw(
      `insert into ${tableSql(held.db, 'thing_9')} (name, created_by, updated_by)
       select concat('n', seq), 't', 't' from ${held.db.records}.seq_1_to_${rows}`,
    );
    await held.db.knex.raw(`analyze table ${tableSql(held.db, 'thing_9')}`);
    // Estimates are read again after a while: another house is not known yet.
    const fresh = { ...held.db };
    const n = (await countTables(fresh, await loadTables(fresh))).get('thing_9') ?? 0;
    expect(n).toBeGreaterThanOrEqual(aboutFrom);
    expect(Math.abs(n - rows) / rows).toBeLessThan(0.1);
  });
});
