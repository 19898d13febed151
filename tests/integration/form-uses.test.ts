import { beforeAll, describe, expect, it } from 'vitest';
import { makeForm, publishForm } from '../../src/server/catalog/forms';
import { makeTable } from '../../src/server/catalog/tables';
import * as formUsesMigration from '../../src/server/database/migrations/024_form_uses';
import { formUses } from '../../src/server/records/form-uses';
import { saveEntry } from '../../src/server/records/save';
import { column, field, planOf, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_form_uses');
const today = new Date().toISOString().slice(0, 10);

beforeAll(async () => {
  await makeTable(held.db, table('note', [column('name')]), 'test');
  const plan = planOf('note', [field('name', { savesTo: 'name' })]);
  for (const key of ['write', 'never']) {
    await makeForm(held.db, { table: 'note', key, plan }, 'test');
    await publishForm(held.db, key, 1, 'test');
  }
});

describe('what is kept of how often a form is filled in', () => {
  const save = (submission: string, by: string) =>
    saveEntry(held.db, 'write', { submission, edition: 1, values: { name: submission } }, by);

  it('counts each save once, by day, with whoever made the last', async () => {
    await Promise.all(
      Array.from({ length: 12 }, (_, i) => save(`use-${String(i).padStart(4, '0')}`, 'Brida')),
    );
    await save('use-0100', 'Rurik');
    // The same submission again is the same save.
    await save('use-0100', 'Rurik');
    const uses = await formUses(held.db, today);
    expect([...uses.keys()]).toEqual(['write']);
    expect(uses.get('write')).toMatchObject({ days: { [today]: 13 }, last: { by: 'Rurik' } });
    await expect(save('use-0101', 'x'.repeat(300))).rejects.toThrow();
    expect((await formUses(held.db, today)).get('write')?.days).toEqual({ [today]: 13 });
  });

  it('is made from the journal where there was none before', async () => {
    const before = await formUses(held.db, today);
    const { knex, catalog } = held.db;
    await knex.raw(`drop table \`${catalog}\`.form_use`);
    await knex.transaction(async (trx) => {
      await trx.raw(`use \`${catalog}\``);
      await formUsesMigration.up(trx);
    });
    const after = await formUses(held.db, today);
    expect(after.get('write')?.days).toEqual(before.get('write')?.days);
    expect(after.get('write')?.last.by).toBe('Rurik');
  });
});
