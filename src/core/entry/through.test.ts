import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { column, field, planOf, table } from '../../../tests/support/definitions';
import { querySchema } from '../outside/query';
import { rowsFrom } from '../outside/rows';
import { throughSchema, type Plan } from '../plan/schema';
import { fieldOf } from '../plan/scopes';
import { tablesWith } from '../table/sources';
import { plainText } from '../values/types';
import { examine } from '../wiring/examine';
import { wireForm } from '../wiring/form';
import { Entry } from './entry';
import { changedThrough, throughBody, throughConflicts, throughValues } from './through';

const query = querySchema.parse({
  key: 'member',
  title: 'Member',
  connection: 'register',
  text: 'members/{code}',
  parameters: [{ key: 'code', label: 'Code', type: plainText }],
  columns: [
    { key: 'name', label: 'Name', path: 'name', type: plainText },
    { key: 'phone', label: 'Phone', path: 'contact.phone', type: plainText },
    { key: 'mail', label: 'Mail', path: 'contact.mail', type: plainText },
  ],
});
const through = throughSchema.parse({
  query: 'member',
  key: 'code',
  write: { method: 'PUT', address: '' },
  columns: { name: 'name', phone: 'phone', mail: 'mail' },
});
const tables = tablesWith({ tables: [table('visit', [column('note')])], queries: [query] });
const plan: Plan = planOf(
  'visit',
  [field('name', { lockedWhen: 'true' }), field('phone'), field('mail'), field('aside')],
  { through },
);
const read = { name: 'Quay Octet', phone: '555-0100', mail: null };
const entryWith = (values: Record<string, string | null>) =>
  new Entry(wireForm(plan, tables), { mode: 'resumed', values: { ...read, ...values } });

describe('H3 an outside record in a form', () => {
  it('fills the fields that show its columns; what it lacks is absent', () => {
    const rows = rowsFrom(query, { name: 'Quay Octet', contact: { phone: '555-0100' } });
    expect(throughValues(through, rows?.rows[0] ?? {})).toEqual(read);
  });

  it('is written back where it was read: what was changed, and nobody else’s to set', () => {
    const entry = entryWith({ phone: '555-0177', name: 'Another', aside: 'x' });
    const changed = changedThrough(through, read, entry);
    expect(changed).toEqual(['phone']);
    expect(throughBody(through, query, changed, (key) => entry.value(key))).toEqual({
      contact: { phone: '555-0177' },
    });
    const emptied = entryWith({ phone: null, mail: 'q@example.org' });
    const both = changedThrough(through, read, emptied);
    expect(throughBody(through, query, both, (key) => emptied.value(key))).toEqual({
      contact: { phone: null, mail: 'q@example.org' },
    });
  });

  it('is in conflict only where both have set a field to different values', () => {
    const value = fc.constantFrom(null, 'a', 'b', 'c');
    fc.assert(
      fc.property(value, value, value, (base, theirs, yours) => {
        const found = throughConflicts(['phone'], { phone: base }, { phone: theirs }, () => yours);
        const clash = theirs !== base && theirs !== yours;
        expect(found).toEqual(clash ? [{ field: 'phone', base, yours, theirs }] : []);
      }),
    );
  });

  it('has a plan that stores nothing here, and names what is there', () => {
    const codes = (of: Plan) =>
      examine(of, tables)
        .filter(({ level }) => level === 'problem')
        .map(({ problem }) => problem.code);
    expect(codes(plan)).toEqual([]);
    const saving = planOf('visit', [field('phone', { savesTo: 'note' })], {
      through: { ...through, columns: { phone: 'phone' } },
    });
    expect(codes(saving)).toEqual(['through_saves']);
    const wrong = { ...through, key: 'number', columns: { gone: 'name', phone: 'fax' } };
    expect(codes({ ...plan, through: wrong })).toEqual([
      'through_key_missing',
      'through_field_missing',
      'query_column_missing',
    ]);
    expect(codes({ ...plan, through: { ...through, query: 'gone' } })).toEqual(['query_missing']);
  });

  it('is mended from the sheet where a field or the key is gone', () => {
    const wrong = { ...through, key: 'number', columns: { ...through.columns, gone: 'name' } };
    let mended: Plan = { ...plan, through: wrong };
    const problems = () => examine(mended, tables).filter(({ level }) => level === 'problem');
    expect(problems()).toHaveLength(2);
    for (const { fix } of problems()) mended = fix?.apply(mended) ?? mended;
    expect(problems()).toEqual([]);
    expect(mended.through?.key).toBe(through.key);
    expect(fieldOf(mended, 'gone')).toBeDefined();
  });
});

describe('H2 what a field reads outside, in the checkup', () => {
  const reading = (outside: object, fields = [field('code')]) =>
    planOf('visit', [
      ...fields,
      field('phone', { outside: { query: 'member', column: 'phone', given: [], ...outside } }),
    ]);
  const codes = (of: Plan) => examine(of, tables).map(({ problem }) => problem.code);
  const given = (parameter: string, from: string) => [{ parameter, field: from, optional: false }];

  it.each<[string, Plan, string]>([
    ['a query that is gone', reading({ query: 'gone' }), 'query_missing'],
    [
      'a column that is gone',
      reading({ column: 'fax', given: given('code', 'code') }),
      'query_column_missing',
    ],
    [
      'a parameter that is gone',
      reading({ given: given('number', 'code') }),
      'query_parameter_missing',
    ],
    ['a field that is gone', reading({ given: given('code', 'gone') }), 'narrowing_field_missing'],
    ['a parameter that nothing gives', reading({}), 'parameter_ungiven'],
    [
      'a value of another type',
      reading({ given: given('code', 'code') }, [field('code', { holds: { kind: 'yes_no' } })]),
      'parameter_types',
    ],
  ])('is a problem: %s', (_, of, code) => {
    expect(codes(of)).toContain(code);
  });

  it('is none where everything is there', () => {
    const found = examine(reading({ given: given('code', 'code') }), tables);
    expect(found.filter(({ level }) => level === 'problem')).toEqual([]);
  });
});
