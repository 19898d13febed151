import { describe, expect, it } from 'vitest';
import { column, field, planOf, table } from '../../../tests/support/definitions';
import { Entry } from '../entry/entry';
import { openedBeginning } from '../entry/beginning';
import { parseText } from '../values/parse';
import { examine } from '../wiring/examine';
import { wireForm } from '../wiring/form';
import { listProblems, mergedValues, type OptionList } from './option-list';
import { tablesWith } from './sources';
import { shippedLists } from './shipped-lists';

const list = (key: string, values: OptionList['values'], of: string | null = null): OptionList => ({
  key,
  title: key,
  category: '',
  note: '',
  of,
  values,
});
const plain = (value: string, more: object = {}) => ({ value, label: value, ...more });
const areas = list('areas', [plain('surface'), plain('inside')]);
const kinds = list(
  'kinds',
  [
    plain('dent', { of: 'surface' }),
    plain('crack', { of: 'surface', retired: true }),
    plain('rust', { of: 'inside' }),
  ],
  'areas',
);
const lists = new Map([areas, kinds].map((one) => [one.key, one]));
const kindType = { kind: 'option' as const, list: 'kinds', options: [] };
const tables = tablesWith({
  tables: [table('defect', [column('kind', { type: kindType })])],
  lists: [...lists.values()],
});
const plan = planOf('defect', [
  field('area', { choices: { kind: 'options', list: 'areas', by: null } }),
  field('kind', { savesTo: 'kind', choices: { kind: 'options', list: 'kinds', by: 'area' } }),
]);
const form = wireForm(plan, tables);
const offered = (entry: Entry, key = 'kind') => entry.options(key)?.map(({ value }) => value);

describe('J1 option lists', () => {
  it('give columns their options as they are now', () => {
    const type = tables.get('defect')?.columns[0]?.type;
    expect(type?.kind === 'option' && type.options).toEqual(kinds.values);
  });

  it.each([
    [list('kinds', [plain('a'), plain('A')]), ['option_twice']],
    [list('kinds', [plain('a'), { value: 'b', label: 'A' }]), ['option_label_twice']],
    [list('kinds', [plain('a')], 'nowhere'), ['list_of_missing']],
    [list('kinds', [plain('a')], 'kinds'), ['list_of_missing']],
    [list('areas', [plain('a')], 'kinds'), ['list_circle']],
    [list('kinds', [plain('a', { of: 'roof' })], 'areas'), ['option_of_missing']],
    [kinds, []],
  ])('are examined: %#', (one, codes) => {
    expect(listProblems(one, lists).map(({ code }) => code)).toEqual(codes);
  });
});

describe('J3 a retired value', () => {
  it('is not offered and cannot be typed, but is still shown', () => {
    const type = tables.get('defect')?.columns[0]?.type ?? kindType;
    expect(parseText(type, 'crack', 'Kind')).toMatchObject({ problem: { code: 'not_option' } });
    expect(parseText(type, 'Dent', 'Kind')).toEqual({ value: 'dent' });
  });

  it('stays in a record that has it, and is refused in a new one', () => {
    const stored = { id: 1, version: 1, values: { kind: 'crack' } };
    const values = { kind: 'crack', area: 'surface' };
    const entry = new Entry(form, openedBeginning({ stored, values, rows: {} }));
    expect(entry.problems()).toEqual([]);
    expect(offered(entry)).toEqual(['dent', 'crack']);
    const fresh = new Entry(form, { mode: 'resumed', values });
    expect(fresh.problems().map(({ code }) => code)).toEqual(['not_offered']);
  });
});

describe('J4 values that belong to values of another list', () => {
  it('are offered for what is chosen there; others are cleared', () => {
    const entry = new Entry(form);
    expect(entry.choices('kind')).toEqual({ status: 'waiting', for: 'area' });
    expect(offered(entry)).toEqual([]);
    entry.set('area', 'surface');
    expect(offered(entry)).toEqual(['dent']);
    entry.set('kind', 'dent');
    entry.set('area', 'inside');
    expect(entry.value('kind')).toBeNull();
    expect(offered(entry)).toEqual(['rust']);
  });

  it('are refused where they do not belong, whoever sends them', () => {
    const entry = new Entry(form, { mode: 'resumed', values: { area: 'inside', kind: 'dent' } });
    expect(entry.problems().map(({ path, code }) => `${path}:${code}`)).toEqual([
      'kind:not_offered',
    ]);
  });

  it('do not alter an opened record that does not say to what they belong', () => {
    const stored = { id: 1, version: 1, values: { kind: 'dent' } };
    const entry = new Entry(form, openedBeginning({ stored, values: { kind: 'dent' }, rows: {} }));
    expect(entry.value('kind')).toBe('dent');
    expect(entry.problems()).toEqual([]);
  });
});

describe('J5 pasted values', () => {
  it('are added, and change what is there', () => {
    const merged = mergedValues(kinds, [
      ['Scratch', '', 'surface'],
      ['Rusted', 'rust'],
      [''],
      ['DENT'],
    ]);
    expect(merged.map(({ label, value, of }) => [label, value, of])).toEqual([
      ['DENT', 'dent', 'surface'],
      ['crack', 'crack', 'surface'],
      ['Rusted', 'rust', 'inside'],
      ['Scratch', 'Scratch', 'surface'],
    ]);
  });
});

describe('G6 values typed into a form', () => {
  const typed = (key: string, values: string[]) =>
    field(key, { choices: { kind: 'values', values: values.map((v) => plain(v)) } });

  it('are found where a list has the same, and taken from it', () => {
    const same = planOf('defect', [typed('where', ['inside', 'Surface'])]);
    const found = examine(same, tables).find(({ problem }) => problem.code === 'values_in_list');
    const choices = found?.fix?.apply(same).sections[0]?.fields[0]?.choices;
    expect(choices).toEqual({ kind: 'options', list: 'areas', by: null });
  });

  it('are found where two fields have the same', () => {
    const twice = planOf('defect', [typed('a', ['x', 'y']), typed('b', ['y', 'x'])]);
    const codes = examine(twice, tables).map(({ problem }) => problem.code);
    expect(codes.filter((code) => code === 'values_twice')).toHaveLength(2);
  });

  it('a list that is gone, and a narrowing that can narrow nothing, are problems', () => {
    const gone = planOf('defect', [
      field('a', { choices: { kind: 'options', list: 'x', by: null } }),
    ]);
    expect(examine(gone, tables).map(({ problem }) => problem.code)).toContain('list_missing');
    const alone = planOf('defect', [
      field('a', { choices: { kind: 'options', list: 'areas', by: 'b' } }),
      field('b'),
    ]);
    expect(examine(alone, tables).map(({ problem }) => problem.code)).toContain('list_by_alone');
  });
});

describe('J2 lists that come with the product', () => {
  it('are sound', () => {
    const shipped = shippedLists(Intl.supportedValuesOf('timeZone'));
    expect(shipped.flatMap((one) => listProblems(one, new Map()))).toEqual([]);
    expect(shipped.find(({ key }) => key === 'weekdays')?.values).toHaveLength(7);
  });
});
