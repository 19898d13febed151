import { houseOf } from '../../src/core/table/sources';
import { randomUUID } from 'node:crypto';
import { beforeAll, describe, expect, it } from 'vitest';
import { columnOf } from '../../src/core/table/definition';
import { optionListSchema, type OptionList } from '../../src/core/table/option-list';
import { ProblemError } from '../../src/core/problems';
import { listForms, makeForm, publishForm } from '../../src/server/catalog/forms';
import {
  changeList,
  listFrom,
  listLists,
  listUses,
  makeList,
  removeList,
  typedElsewhere,
} from '../../src/server/catalog/lists';
import { liftOptions, ownOptions } from '../../src/server/catalog/lifted-options';
import { loadTables, makeTable, tableFrom } from '../../src/server/catalog/tables';
import { examine } from '../../src/core/wiring/examine';
import { readRecord } from '../../src/server/records/read';
import { saveEntry } from '../../src/server/records/save';
import { addRecord, changeRecord } from '../../src/server/records/write';
import { column, field, planOf, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_lists');
const plain = (value: string, more: object = {}) => ({ value, label: value, ...more });
const list = (key: string, values: OptionList['values'], of: string | null = null): OptionList => ({
  key,
  title: key,
  category: '',
  note: '',
  of,
  values,
});

beforeAll(async () => {
  await makeList(held.db, list('areas', [plain('surface'), plain('inside')]), 'test');
  const kinds = [plain('dent', { of: 'surface' }), plain('rust', { of: 'inside' })];
  await makeList(held.db, list('kinds', kinds, 'areas'), 'test');
  const type = { kind: 'option' as const, list: 'kinds', options: [] };
  await makeTable(held.db, table('defect', [column('kind', { type }), column('part')]), 'test');
  const plan = planOf('defect', [
    field('area', { choices: { kind: 'options', list: 'areas', by: null } }),
    field('kind', { savesTo: 'kind', choices: { kind: 'options', list: 'kinds', by: 'area' } }),
    field('part', { savesTo: 'part' }),
  ]);
  await makeForm(held.db, { table: 'defect', key: 'defect', plan }, 'test');
  await publishForm(held.db, 'defect', 1, 'test');
});

const codes = (work: Promise<unknown>) =>
  work.then(
    () => expect.fail('was not refused'),
    (error: unknown) => {
      if (error instanceof ProblemError) return error.problems.map((p) => `${p.path}:${p.code}`);
      throw error;
    },
  );
const save = (values: object) =>
  saveEntry(
    held.db,
    'defect',
    { submission: randomUUID(), edition: 1, values: { ...values } },
    'test',
  );
const change = async (key: string, values: OptionList['values'], revision?: number) => {
  const before = await listFrom(held.db, key);
  const { title, category, note, of } = before;
  const after = { key, title, category, note, of, values };
  return changeList(held.db, after, revision ?? before.revision, 'test');
};

describe('A5 options of a column and of a list', () => {
  it('are lifted into a list, and back, with every record, form and other column as they were', async () => {
    const { db } = held;
    const options = ['good', 'worn', 'lost'].map((value) => ({
      value,
      label: value.toUpperCase(),
    }));
    const state = column('state', { type: { kind: 'option', options } });
    await makeTable(db, table('boxes', [column('name'), state]), 'test');
    const house = () => loadTables(db);
    const of = async () => tableFrom(await house(), 'boxes');
    const { id } = await addRecord(
      db,
      await house(),
      await of(),
      { name: 'a', state: 'worn' },
      'test',
    );
    const lifted = await liftOptions(db, 'boxes', 'state', 'State', 'test');
    const type = columnOf(lifted, 'state')?.type;
    expect(type).toMatchObject({ kind: 'option', list: 'state' });
    const made = await listFrom(db, 'state');
    expect(made.values.map(({ value, label }) => ({ value, label }))).toEqual(options);
    expect(await codes(liftOptions(db, 'boxes', 'state', 'State', 'test'))).toEqual([
      expect.stringContaining('options_of_list'),
    ]);
    // The list is changed: the column has it; a value in use stays.
    const more = {
      ...optionListSchema.strip().parse(made),
      values: [...made.values, { value: 'new', label: 'NEW' }],
    };
    await changeList(db, more, made.revision, 'test');
    expect((await readRecord(db, db.knex, await house(), await of(), id)).values.state).toBe(
      'worn',
    );
    const own = await ownOptions(db, 'boxes', 'state', 'test');
    expect(columnOf(own, 'state')?.type).toEqual({ kind: 'option', options: more.values });
    await removeList(db, 'state');
    expect((await readRecord(db, db.knex, await house(), await of(), id)).values.state).toBe(
      'worn',
    );
    // A title that is taken gets a key of its own; two at once make two lists.
    await makeTable(
      db,
      table('crates', [column('name'), state, { ...state, key: 'other' }]),
      'test',
    );
    await Promise.all([
      liftOptions(db, 'crates', 'state', 'State', 'a'),
      liftOptions(db, 'crates', 'other', 'State', 'b'),
    ]);
    const types = tableFrom(await house(), 'crates')
      .columns.slice(1)
      .map((each) => each.type);
    expect(new Set(types.map((each) => each.kind === 'option' && each.list)).size).toBe(2);
    expect(await codes(ownOptions(db, 'boxes', 'name', 'test'))).toEqual([
      expect.stringContaining('unknown_column'),
    ]);
  });
});

describe('J1 option lists in the catalog', () => {
  it('come with the product, and are made beside it', async () => {
    const keys = (await listLists(held.db)).map(({ key }) => key);
    expect(keys).toEqual(expect.arrayContaining(['weekdays', 'time_zones', 'ratings', 'kinds']));
    expect(await codes(makeList(held.db, list('kinds', []), 'test'))).toEqual(['key:list_exists']);
  });

  it('are checked again when a record is saved', async () => {
    await save({ area: 'surface', kind: 'dent' });
    expect(await codes(save({ area: 'inside', kind: 'dent' }))).toEqual(['kind:not_offered']);
    expect(await codes(save({ area: 'surface', kind: 'scratch' }))).toEqual(['kind:not_option']);
  });
});

describe('J3 where a list is used', () => {
  it('is told with counts, columns before forms', async () => {
    const uses = await listUses(held.db, 'kinds');
    expect(uses.map(({ where }) => where)).toEqual(['defect (kind)', 'Form of defect (kind)']);
    expect(uses[0]?.counts.get('dent')).toBe(1);
  });

  it('shows a new label at once, everywhere', async () => {
    const values = (await listFrom(held.db, 'kinds')).values.map((option) =>
      option.value === 'dent' ? { ...option, label: 'A dent' } : option,
    );
    await change('kinds', values);
    const type = tableFrom(await loadTables(held.db), 'defect').columns[0]?.type;
    expect(type?.kind === 'option' && type.options[0]?.label).toBe('A dent');
  });

  it('lets a used value be retired, not removed', async () => {
    const { values } = await listFrom(held.db, 'kinds');
    const without = values.filter(({ value }) => value !== 'dent');
    expect(await codes(change('kinds', without))).toEqual(['values:option_in_use']);
    await change(
      'kinds',
      values.map((option) => (option.value === 'dent' ? { ...option, retired: true } : option)),
    );
    expect(await codes(save({ area: 'surface', kind: 'dent' }))).toEqual(['kind:not_offered']);
    await change('kinds', values);
  });

  it('keeps a retired value in a record that has it, and takes it from no other', async () => {
    const tables = await loadTables(held.db);
    const defect = tableFrom(tables, 'defect');
    const first = await addRecord(held.db, tables, defect, { kind: 'rust' }, 'test');
    const { values } = await listFrom(held.db, 'kinds');
    await change(
      'kinds',
      values.map((option) => (option.value === 'rust' ? { ...option, retired: true } : option)),
    );
    const now = await loadTables(held.db);
    const table = tableFrom(now, 'defect');
    await changeRecord(held.db, now, table, first.id, 1, { kind: 'rust', part: 'key' }, 'test');
    expect(await codes(addRecord(held.db, now, table, { kind: 'rust' }, 'test'))).toEqual([
      'kind:option_retired',
    ]);
    await change('kinds', values);
  });
});

describe('G6 values typed into two forms', () => {
  it('are found again in the other one', async () => {
    const typed = (key: string, order: string[]) =>
      planOf('defect', [
        field(key, { choices: { kind: 'values', values: order.map((value) => plain(value)) } }),
      ]);
    const [mine, other] = [typed('mine', ['left', 'right']), typed('other', ['Right', 'left'])];
    await makeForm(held.db, { table: 'defect', key: 'other', plan: other }, 'test');
    const known = houseOf(await loadTables(held.db), {
      typed: new Map(await typedElsewhere(held.db, 'mine', await listForms(held.db))),
    });
    const hint = examine(mine, known).find(({ problem }) => problem.code === 'values_twice');
    expect(hint?.problem.message).toContain('other of the form Form of defect');
    expect(await typedElsewhere(held.db, 'other', await listForms(held.db))).toEqual([]);
  });
});

describe('lists that hang on one another', () => {
  it('are not removed while another list, a table or a form uses them', async () => {
    expect(await codes(removeList(held.db, 'areas'))).toEqual([':list_in_use']);
    const [, ...others] = (await listFrom(held.db, 'areas')).values;
    expect(await codes(change('areas', others))).toEqual(['values:option_in_use']);
    await makeList(held.db, list('alone', [plain('x')]), 'test');
    await removeList(held.db, 'alone');
    expect(await codes(listFrom(held.db, 'alone'))).toEqual([':unknown_list']);
  });

  it('tell the second of two people that the first has changed them', async () => {
    const { values, revision } = await listFrom(held.db, 'areas');
    await change('areas', [...values, plain('case')], revision);
    expect(await codes(change('areas', values, revision))).toEqual([':list_changed']);
  });
});
