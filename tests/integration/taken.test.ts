import { randomUUID } from 'node:crypto';
import { beforeAll, describe, expect, it } from 'vitest';
import { takesSchema, type Takes } from '../../src/core/plan/schema';
import { ProblemError } from '../../src/core/problems';
import { makeForm, publishForm } from '../../src/server/catalog/forms';
import { loadTables, makeTable } from '../../src/server/catalog/tables';
import { undoSave } from '../../src/server/records/history';
import { tableSql } from '../../src/server/database/ddl';
import { rowsOf } from '../../src/server/database/rows';
import { saveEntry } from '../../src/server/records/save';
import { column, field, planOf, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_taken');
beforeAll(() => makeTable(held.db, table('visit', [column('name')]), 'test'));

async function publish(key: string, takes: Partial<Takes>) {
  const plan = planOf('visit', [field('name', { savesTo: 'name' })], {
    takes: takesSchema.parse(takes),
  });
  await makeForm(held.db, { key, table: 'visit', plan }, 'test');
  await publishForm(held.db, key, 1, 'test');
}
const save = (form: string, by = 'test', more: object = {}, options: object = {}) =>
  saveEntry(
    held.db,
    form,
    { submission: randomUUID(), edition: 1, values: { name: form }, ...more },
    by,
    options,
  );
const codes = async (saves: Promise<unknown>[]) =>
  (await Promise.allSettled(saves)).map((done) =>
    done.status === 'fulfilled' ? 'saved' : (done.reason as ProblemError).problems?.[0]?.code,
  );
const there = async (form: string) => {
  const sql = `select count(*) as n from ${tableSql(held.db, 'visit')} where name = ?`;
  const [row] = await rowsOf(held.db.knex, sql, [form]);
  return Number(row?.n);
};

describe('F10 a form takes records from a moment to another, and so many', () => {
  it('is refused before it opens and after it closes, with its own sentence', async () => {
    await publish('early', { from: '2999-01-01T00:00:00Z' });
    await publish('late', { until: '2001-01-01T00:00:00Z', closed: 'It is over.' });
    expect(await codes([save('early'), save('late')])).toEqual(['form_not_open', 'form_closed']);
    await expect(save('late')).rejects.toMatchObject({ problems: [{ message: 'It is over.' }] });
    expect([await there('early'), await there('late')]).toEqual([0, 0]);
  });

  it('of ten who ask for the last one at once, one gets it; a retry is not counted again', async () => {
    await publish('hundred', { most: 3 });
    const submission = randomUUID();
    await save('hundred', 'test', { submission });
    await save('hundred', 'test', { submission });
    await save('hundred');
    const all = await codes(Array.from({ length: 10 }, () => save('hundred')));
    expect(all.filter((code) => code === 'saved')).toHaveLength(1);
    expect(all.filter((code) => code === 'form_full')).toHaveLength(9);
    expect(await there('hundred')).toBe(3);
  });

  it('counts what it took before there was a limit, and what was refused not at all', async () => {
    await publish('before', { mostEach: 2 });
    await save('before', 'Ada');
    const refused = save('before', 'Ada', { values: { name: 'before', nothing: 1 } });
    await expect(refused).rejects.toBeInstanceOf(ProblemError);
    expect(await codes([save('before', 'Ada')])).toEqual(['saved']);
    expect(await codes([save('before', 'Ada'), save('before', 'Bo')])).toEqual([
      ...['form_full_each', 'saved'],
    ]);
  });

  it('counts no more what was undone, and again what comes back', async () => {
    await publish('again', { most: 1 });
    const submission = randomUUID();
    await save('again', 'Ada', { submission });
    expect(await codes([save('again', 'Bo')])).toEqual(['form_full']);
    const tables = await loadTables(held.db);
    const undone = await undoSave(held.db, tables, submission, 'Ada');
    const second = randomUUID();
    await save('again', 'Ada', { submission: second });
    expect(await codes([save('again', 'Ada')])).toEqual(['form_full']);
    await undoSave(held.db, tables, second, 'Ada');
    await undoSave(held.db, tables, undone.submission, 'Ada');
    expect(await codes([save('again', 'Cy')])).toEqual(['form_full']);
    expect(await there('again')).toBe(1);
  });

  it('takes any number from guests, who are nobody in particular', async () => {
    for (let i = 0; i < 3; i++) await save('before', 'a guest', {}, { guest: true });
  });
});
