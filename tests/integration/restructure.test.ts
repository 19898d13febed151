import { describe, expect, it } from 'vitest';
import { Rights } from '../../src/core/access/rights';
import { roleSchema } from '../../src/core/access/role';
import type { Plan } from '../../src/core/plan/schema';
import type { ProblemError } from '../../src/core/problems';
import type { Table } from '../../src/core/table/definition';
import { seenHouse, sightOf } from '../../src/core/table/seen';
import { makeAccount } from '../../src/server/access/accounts';
import { keepRole, readRoles } from '../../src/server/access/roles';
import { loadDraft, loadEdition, makeForm, publishForm } from '../../src/server/catalog/forms';
import {
  changeOptions,
  removeColumn,
  renameTableColumn,
  renameWholeTable,
} from '../../src/server/catalog/restructure';
import {
  addTableColumn,
  ensureIndexes,
  loadTables,
  makeTable,
} from '../../src/server/catalog/tables';
import { impactOf } from '../../src/server/catalog/usage';
import { renameColumnSql, tableSql } from '../../src/server/database/ddl';
import { migrate } from '../../src/server/database/migrate';
import { readForm } from '../../src/server/records/form-read';
import { saveEntry } from '../../src/server/records/save';
import { addRecord } from '../../src/server/records/write';
import {
  column,
  field,
  loanPlan,
  lookupOf,
  planOf,
  reference,
  table,
} from '../support/definitions';
import { makeBorrowers, useDatabase } from '../support/house';

const held = useDatabase('t_restructure');

const refused = (work: Promise<unknown>) =>
  work.then(
    () => expect.fail('was not refused'),
    (error: ProblemError) => error.problems[0],
  );
const of = async (key: string) => (await loadTables(held.db)).get(key) as Table;
const created = async (key: string) => {
  const [rows] = await held.db.knex.raw(`show create table ${tableSql(held.db, key)}`);
  return String(rows[0]['Create Table']);
};

/** The loan form, with a formula that follows references and a bring. */
function plan(): Plan {
  const made = loanPlan();
  const [section] = made.sections;
  const fields = (section?.fields ?? []).map((f) =>
    f.key === 'ensemble'
      ? {
          ...f,
          brings: [{ path: 'code', by: null, into: null, keeps: 'live' as const, editable: false }],
        }
      : f,
  );
  const told = field('told', { computes: 'ensemble.town.name + " town"', shows: 'line' });
  return {
    ...made,
    sections: [{ ...section, fields: [...fields, told] } as Plan['sections'][number]],
  };
}

async function choicesOf(form: string, key: string) {
  const { plan: now } = await loadEdition(held.db, form);
  const ask = { id: 'a', kind: 'list' as const, field: key, limit: 50 };
  const [answer] = await readForm(held.db, await loadTables(held.db), now, {
    values: { region: 1, town: 1 },
    asks: [ask],
  });
  return answer;
}

describe('A7 what is renamed or removed says first where it is used', () => {
  it('names forms, fields and the questions that they answer with it', async () => {
    await makeBorrowers(held.db);
    const tables = await loadTables(held.db);
    const add = async (key: string, values: object) =>
      addRecord(held.db, tables, await of(key), { ...values }, 'test');
    await add('region', { name: 'North' });
    await add('town', { name: 'Velden', region: 1 });
    await add('ensemble', { name: 'Choir', code: 'C1', town: 1 });
    const made = await makeForm(held.db, { key: 'lend', table: 'loan', plan: plan() }, 'test');
    await publishForm(held.db, 'lend', made.revision, 'test');
    expect(await impactOf(held.db, { table: 'town', column: 'name' })).toEqual([
      {
        key: 'lend',
        title: 'Form of loan',
        plans: ['draft', 'edition'],
        uses: [
          { field: 'town', questions: ['comes from'] },
          { field: 'told', questions: ['formula'] },
        ],
      },
    ]);
    expect((await impactOf(held.db, { table: 'ensemble', column: 'code' }))[0]?.uses).toEqual([
      { field: 'ensemble', questions: ['brings'] },
    ]);
    const whole = await impactOf(held.db, { table: 'loan' });
    expect(whole[0]?.uses).toEqual([{ field: '', questions: ['saves its records'] }]);
    expect(await impactOf(held.db, { table: 'region', column: 'gone' })).toEqual([]);
  });

  it('refuses to remove what a form uses, with the list; what nothing uses goes', async () => {
    const found = await refused(removeColumn(held.db, 'ensemble', 'code', 'test'));
    expect(found?.message).toBe('code is in use by Form of loan (ensemble: brings).');
    await addTableColumn(held.db, 'ensemble', column('spare', { unique: true }), 'test');
    await removeColumn(held.db, 'ensemble', 'spare', 'test');
    expect(await created('ensemble')).not.toContain('spare');
    expect((await of('ensemble')).columns.map((c) => c.key)).toEqual(['name', 'code', 'town']);
  });
});

describe('a rename is carried through, and the form in use goes on', () => {
  it('of a column: paths, formulas, indexes, keys, in the draft and in editions', async () => {
    await ensureIndexes(
      held.db,
      [{ table: 'town', index: { kind: 'order', columns: ['region', 'name'] } }],
      'test',
    );
    const before = await loadDraft(held.db, 'lend');
    await renameTableColumn(held.db, 'town', 'name', 'called', 'test');
    await renameTableColumn(held.db, 'ensemble', 'town', 'place', 'test');
    const draft = await loadDraft(held.db, 'lend');
    expect(draft.form.revision).toBe(before.form.revision + 2);
    expect(draft.form.changed).toBe(false);
    const fields = draft.plan.sections[0]?.fields ?? [];
    expect(fields.find((f) => f.key === 'told')?.computes).toBe('ensemble.place.called + " town"');
    expect(fields.find((f) => f.key === 'ensemble')?.choices).toMatchObject({
      narrowings: [{ path: 'place', field: 'town' }],
    });
    expect((await loadEdition(held.db, 'lend')).plan).toEqual(draft.plan);
    expect(await created('ensemble')).toMatch(/FOREIGN KEY \(`place`\) REFERENCES `town`/);
    expect((await of('town')).indexes.map((i) => i.columns)).toContainEqual(['region', 'called']);
    expect(await choicesOf('lend', 'ensemble')).toMatchObject({ choices: [{ value: 1 }] });
  });

  it('of a table: references of other tables, forms, codes and the journal', async () => {
    await renameWholeTable(held.db, 'ensemble', 'group_of_players', 'test');
    expect(await created('loan')).toMatch(/REFERENCES `group_of_players`/);
    const { plan: now } = await loadEdition(held.db, 'lend');
    const chosen = now.sections[0]?.fields.find((f) => f.key === 'ensemble');
    expect(chosen?.choices).toMatchObject({ table: 'group_of_players' });
    const request = {
      submission: 'renamed-0001',
      edition: 1,
      values: { ensemble: 1, town: 1, region: 1 },
    };
    const receipt = await saveEntry(held.db, 'lend', request, 'test');
    expect(receipt.records[0]?.table).toBe('loan');
    await renameWholeTable(held.db, 'loan', 'lending', 'test');
    const rows = await held.db
      .knex('journal')
      .withSchema(held.db.catalog)
      .where({ submission: 'renamed-0001' })
      .select('table_key');
    expect(rows).toEqual([{ table_key: 'lending' }]);
  });

  it('of both: rights by role and record, what people stand for, and every other place of the catalog', async () => {
    const { db } = held;
    await makeTable(db, table('oldtable', [column('oldcolumn'), reference('town')]), 'test');
    await makeTable(
      db,
      table('further', [column('name'), reference('refers', 'oldtable')]),
      'test',
    );
    const { id } = await addRecord(
      db,
      await loadTables(db),
      await of('oldtable'),
      { oldcolumn: 'a' },
      'test',
    );
    const watcher = roleSchema.parse({
      ...{ key: 'watcher', title: 'Watcher' },
      tables: {
        '*': { does: ['see'] },
        oldtable: { does: ['see'], hidden: ['oldcolumn'] },
        further: { does: ['see'], when: 'refers.oldcolumn = person.oldtable.oldcolumn' },
      },
    });
    await keepRole(db, watcher, 'make');
    const person = { name: 'stands', shown: 'Stands', email: '', roles: ['watcher'] };
    await makeAccount(db, { ...person, link: { table: 'oldtable', record: id } });
    const using = planOf('further', [
      field('refers', {
        savesTo: 'refers',
        choices: lookupOf('oldtable', { shown: ['oldcolumn'], order: [] }),
      }),
      field('said', { computes: 'person.oldtable.oldcolumn', shows: 'line' }),
    ]);
    await makeForm(db, { key: 'using', table: 'further', plan: using }, 'test');
    await publishForm(db, 'using', 1, 'test');
    await renameTableColumn(db, 'oldtable', 'oldcolumn', 'newcolumn', 'test');
    await renameWholeTable(db, 'oldtable', 'newtable', 'test');
    const role = (await readRoles(db, db.knex)).get('watcher');
    expect(role?.tables).toEqual({
      '*': expect.anything(),
      newtable: expect.objectContaining({ hidden: ['newcolumn'] }),
      further: expect.objectContaining({ when: 'refers.newcolumn = person.newtable.newcolumn' }),
    });
    const house = await loadTables(db);
    const seen = seenHouse(house, sightOf(house, new Rights(role ? [role] : []), {}));
    expect(seen.get('newtable')?.columns.map(({ key }) => key)).toEqual(['town']);
    const { plan: now } = await loadEdition(db, 'using');
    expect(now.sections[0]?.fields[1]?.computes).toBe('person.newtable.newcolumn');
    expect(await namedStill(['oldcolumn', 'oldtable'])).toEqual([]);
  });

  /** Places of the catalog that hold a word still; what has happened is not rewritten. */
  async function namedStill(words: string[]): Promise<string[]> {
    const { db } = held;
    const past = ['structure_change', 'access_event', 'journal', 'plan_use'];
    const [tables] = await db.knex.raw(`show tables from \`${db.catalog}\``);
    const found: string[] = [];
    for (const name of (tables as object[]).map((row) => String(Object.values(row)[0]))) {
      if (past.includes(name)) continue;
      const rows: Record<string, unknown>[] = await db.knex(name).withSchema(db.catalog);
      for (const row of rows)
        for (const [key, value] of Object.entries(row)) {
          const all = typeof value === 'string' ? value : JSON.stringify(value ?? '');
          // People called it so; that stays.
          const text = all.replace(/"(title|label)":\s*"[^"]*"/g, '');
          if (words.some((word) => new RegExp(`\\b${word}\\b`).test(text)))
            found.push(`${name}.${key}`);
        }
    }
    return found;
  }

  it('refuses keys that are taken or none', async () => {
    const code = async (work: Promise<unknown>) => (await refused(work))?.code;
    expect(await code(renameTableColumn(held.db, 'town', 'called', 'region', 'test'))).toBe(
      'column_twice',
    );
    expect(await code(renameTableColumn(held.db, 'town', 'called', 'id', 'test'))).toBe(
      'column_twice',
    );
    expect(await code(renameWholeTable(held.db, 'town', 'region', 'test'))).toBe('table_exists');
    expect(await code(renameTableColumn(held.db, 'town', 'nothing', 'x', 'test'))).toBe(
      'unknown_column',
    );
  });

  it('is finished at the next start where a crash came between its steps', async () => {
    const town = await of('town');
    const renamed = town.columns[0] ?? column('x');
    const statement = renameColumnSql(held.db, town, renamed, 'label_of');
    await held.db
      .knex('structure_change')
      .withSchema(held.db.catalog)
      .insert({
        table_key: 'town',
        statement,
        definition: JSON.stringify(town),
        renaming: JSON.stringify({ table: 'town', column: 'called', to: 'label_of' }),
        goal: 'ready',
        state: 'intended',
        base_revision: held.db
          .knex('table_def')
          .withSchema(held.db.catalog)
          .where({ table_key: 'town' })
          .select('revision'),
        by_person: 'test',
      });
    // The statement has run, and the process has died before noting it.
    await held.db.knex.raw(statement);
    await migrate(held.db, held.url);
    expect((await of('town')).columns[0]?.key).toBe('label_of');
    const told = (await loadDraft(held.db, 'lend')).plan.sections[0]?.fields.at(-1);
    expect(told?.computes).toBe('ensemble.place.label_of + " town"');
  });
});

describe('options of a column', () => {
  it('are relabelled and added to; one in use stays', async () => {
    const options = ['good', 'poor', 'gone'].map((value) => ({ value, label: value }));
    const type = { kind: 'option' as const, options };
    await addTableColumn(held.db, 'lending', column('state', { type }), 'test');
    const tables = await loadTables(held.db);
    await addRecord(held.db, tables, await of('lending'), { ensemble: 1, state: 'poor' }, 'test');
    const [good, poor] = options;
    const found = await refused(
      changeOptions(held.db, 'lending', 'state', good ? [good] : [], 'test'),
    );
    expect(found?.message).toContain('in use by 1 record');
    const after = [{ value: 'good', label: 'As new' }, poor ?? { value: '', label: '' }];
    await changeOptions(held.db, 'lending', 'state', after, 'test');
    expect((await of('lending')).columns.at(-1)?.type).toEqual({ kind: 'option', options: after });
  });
});
