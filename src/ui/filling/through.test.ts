import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { column, field, planOf, table } from '../../../tests/support/definitions';
import { querySchema } from '../../core/outside/query';
import { throughSchema } from '../../core/plan/schema';
import { tablesWith } from '../../core/table/sources';
import { Passing } from './through.svelte';

const text = { kind: 'text', format: 'plain', length: 255 } as const;
const query = querySchema.parse({
  key: 'member',
  title: 'Member',
  connection: 'register',
  text: 'members/{code}',
  parameters: [{ key: 'code', label: 'Code', type: text }],
  columns: ['name', 'phone'].map((key) => ({ key, label: key, path: key, type: text })),
});
const tables = tablesWith({ tables: [table('visit', [column('code')])], queries: [query] });
const through = throughSchema.parse({
  query: 'member',
  key: 'code',
  write: {},
  columns: { name: 'name', phone: 'phone' },
});
const plan = { ...planOf('visit', [field('name'), field('phone')]), through };

let puts: Record<string, unknown>[];
let answers: (() => Response)[];
const record = (values: object, etag: string | null = '1') =>
  Response.json({ key: 'M-1', values, etag });

beforeEach(() => {
  puts = [];
  answers = [];
  vi.stubGlobal('fetch', async (_: string, init: { body?: string }) => {
    if (init.body !== undefined) puts.push(JSON.parse(init.body) as Record<string, unknown>);
    return answers.shift()?.() ?? new Response('', { status: 503 });
  });
});
afterEach(() => vi.unstubAllGlobals());

async function opened(): Promise<Passing> {
  const passing = new Passing({
    formKey: 'member',
    plan,
    edition: 1,
    tables,
    person: { name: 'clerk' },
  });
  answers.push(() => record({ name: 'Odile', phone: '1' }));
  await passing.open('M-1');
  return passing;
}

const refused = (now: object) => () =>
  Response.json(
    {
      problems: [{ path: '', code: 'through_changed', message: 'Changed.', hint: '' }],
      now: { key: 'M-1', values: now, etag: '2' },
    },
    { status: 409 },
  );

describe('H3 a record of a system outside is shown, changed and written back', () => {
  it('with what was changed, on the version that was read', async () => {
    const passing = await opened();
    passing.session?.type('phone', '2');
    expect(passing.changed).toEqual(['phone']);
    answers.push(() => record({ name: 'Odile', phone: '2' }, '2'));
    expect(await passing.write()).toBeNull();
    expect(puts[0]).toMatchObject({ key: 'M-1', etag: '1', values: { phone: '2' } });
    expect(passing.told).toBe('Written back: 1 field.');
    expect(passing.changed).toEqual([]);
  });

  it('and says so where the system kept its own value', async () => {
    const passing = await opened();
    passing.session?.type('phone', '2');
    answers.push(() => record({ name: 'Odile', phone: '1' }));
    await passing.write();
    expect(passing.told).toContain('kept its own value for phone');
  });

  it('a failed write leaves what was typed; the next try has the same submission', async () => {
    const passing = await opened();
    passing.session?.type('phone', '2');
    expect(await passing.write()).not.toBeNull();
    expect(passing.problems[0]?.code).toBe('unreachable');
    expect(passing.session?.entry.value('phone')).toBe('2');
    answers.push(() => record({ name: 'Odile', phone: '2' }));
    expect(await passing.write()).toBeNull();
    expect(puts[0]?.submission).toBe(puts[1]?.submission);
  });

  it('what another person has changed besides stands together with it', async () => {
    const passing = await opened();
    passing.session?.type('phone', '2');
    answers.push(refused({ name: 'Odile B.', phone: '1' }));
    await passing.write();
    expect(passing.conflicts).toEqual([]);
    expect(passing.session?.entry.values()).toMatchObject({ name: 'Odile B.', phone: '2' });
    expect(passing.told).toContain('write back again');
  });

  it('what both have changed is chosen, field by field', async () => {
    const passing = await opened();
    passing.session?.type('phone', '2');
    answers.push(refused({ name: 'Odile', phone: '3' }));
    await passing.write();
    expect(passing.conflicts).toMatchObject([{ field: 'phone', theirs: '3' }]);
    const [conflict] = passing.conflicts;
    if (conflict) passing.takeTheirs(conflict);
    expect(passing.session?.entry.value('phone')).toBe('3');
    expect(passing.conflicts).toEqual([]);
  });

  it('one that is not there is said', async () => {
    const passing = new Passing({
      formKey: 'member',
      plan,
      edition: 1,
      tables,
      person: { name: 'clerk' },
    });
    const found = { path: '', code: 'through_unknown', message: 'None.', hint: '' };
    answers.push(() => Response.json({ problems: [found] }, { status: 404 }));
    await passing.open('M-9');
    expect(passing.record).toBeNull();
    expect(passing.problems.map(({ code }) => code)).toEqual(['through_unknown']);
  });
});
