import { demoMembers } from '../../demo/members';
import { randomUUID } from 'node:crypto';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { demoPlans } from '../../demo/plans';
import { querySchema } from '../../src/core/outside/query';
import type { Plan } from '../../src/core/plan/schema';
import { ProblemError } from '../../src/core/problems';
import { loadTables, makeTable } from '../../src/server/catalog/tables';
import { makeForm, publishForm } from '../../src/server/catalog/forms';
import { endPause } from '../../src/server/outside/system';
import { keepConnection } from '../../src/server/outside/connections';
import { allowHosts } from '../../src/server/outside/hosts';
import { keepQuery } from '../../src/server/outside/queries';
import { removeQuery } from '../../src/server/outside/uses';
import { openThrough, ThroughConflictError, writeThrough } from '../../src/server/records/through';
import { saveEntry } from '../../src/server/records/save';
import { serveSystems, type Simulators } from '../../simulators/server';
import { memberRegister } from '../../simulators/systems';
import { column, field, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_through');
const text = { kind: 'text', format: 'plain', length: 255 } as const;
const plan = demoPlans.member_details as Plan;
let simulators: Simulators;

beforeAll(async () => {
  simulators = await serveSystems([memberRegister(demoMembers())]);
  await allowHosts(held.db, [new URL(simulators.address).host]);
  const base = `${simulators.address}/register`;
  const reach = { kind: 'http' as const, base, headers: [], signIn: 'none' as const, user: '' };
  const named = { key: 'member_register', title: 'Register', note: '', reach };
  await keepConnection(held.db, named, undefined, 'test', 'make');
  const at = (key: string, path: string) => ({ key, label: key, path, type: text });
  const query = {
    key: 'member_by_code',
    title: 'Member',
    connection: 'member_register',
    text: 'members/{code}',
    limit: 1000,
    parameters: [{ key: 'code', label: 'Code', type: text }],
    columns: [
      at('name', 'name'),
      at('contact', 'contact.name'),
      at('email', 'contact.email'),
      at('phone', 'contact.phone'),
    ],
  };
  await keepQuery(held.db, querySchema.parse(query), 'test', 'make');
  await makeTable(held.db, table('ensemble', [column('name', { required: true })]), 'test');
  await makeForm(held.db, { table: 'ensemble', key: 'member', plan }, 'test');
  await publishForm(held.db, 'member', 1, 'test');
});
afterAll(() => simulators.stop());
beforeEach(() => {
  trouble('none');
  endPause(held.db, 'member_register');
});

function trouble(what: 'none' | 'error 500' | 'no answer') {
  const state = simulators.systems.get('register')?.state;
  if (state) state.switches = { trouble: what, slow: 0, share: 100 };
}
const open = async (key = 'VTW-217') => openThrough(held.db, await loadTables(held.db), plan, key);
type Opened = Awaited<ReturnType<typeof open>>;
const write = async (opened: Opened, change: object, more: object = {}) =>
  writeThrough(
    held.db,
    await loadTables(held.db),
    plan,
    {
      key: opened.key,
      submission: randomUUID(),
      etag: opened.etag,
      before: opened.values,
      values: { ...opened.values, ...change },
      ...more,
    },
    'test',
  );
const failure = (work: Promise<unknown>) =>
  work.then(
    () => expect.fail('was not refused'),
    (error: unknown) => {
      if (error instanceof ProblemError) return error;
      throw error;
    },
  );
const codes = async (work: Promise<unknown>) =>
  (await failure(work)).problems.map(({ path, code }) => `${path}:${code}`);

describe('H3 a query through which a form passes', () => {
  it('is not removed while it does', async () => {
    expect(await codes(removeQuery(held.db, plan.through?.query ?? ''))).toEqual([':query_in_use']);
  });
});

describe('H3 a form that passes through', () => {
  it('shows the outside record of a key, and stores nothing of it here', async () => {
    const { values, etag } = await open();
    expect(values).toMatchObject({ name: 'Velden Town Winds', contact: 'Odile Quist' });
    expect(etag).toBe('"1"');
    const changed = await write(await open(), { phone: '555-0101' });
    expect(changed.values).toMatchObject({ phone: '555-0101', contact: 'Odile Quist' });
    const counts = await Promise.all(
      ['journal', 'entry_draft', 'outbox'].map((name) =>
        held.db.knex(name).withSchema(held.db.catalog).count({ n: '*' }).first(),
      ),
    );
    expect(counts.map((row) => Number(row?.n))).toEqual([0, 0, 0]);
    const save = saveEntry(
      held.db,
      'member',
      { submission: randomUUID(), edition: 1, values: {} },
      'test',
    );
    expect(await codes(save)).toEqual([':through_none']);
  });

  it('is told once, however often the same submission comes, and at once', async () => {
    const opened = await open();
    const submission = randomUUID();
    const same = () => write(opened, { phone: '555-0199' }, { submission });
    const written = await Promise.all([same(), same(), same(), same()]);
    for (const { values } of written) expect(values.phone).toBe('555-0199');
    const version = (etag: string | null) => Number(JSON.parse(etag ?? '"0"'));
    expect(version((await open()).etag)).toBe(version(opened.etag) + 1);
    await same();
    expect(version((await open()).etag)).toBe(version(opened.etag) + 1);
  });

  it('says so where there is no such record', async () => {
    expect(await codes(open('NO-SUCH'))).toEqual([':through_unknown']);
    expect(await codes(open('../notes'))).toEqual([':through_unknown']);
  });

  it('holds its own rules, on the server too', async () => {
    expect(await codes(write(await open(), { contact: null, email: 'nowhere' }))).toEqual([
      'contact:required',
      'email:check_failed',
    ]);
  });

  it('writes no field that nobody can set', async () => {
    const changed = await write(await open(), { name: 'Somebody else', phone: '555-0102' });
    expect(changed.values).toMatchObject({ name: 'Velden Town Winds', phone: '555-0102' });
  });

  it('overwrites nothing that another person has changed', async () => {
    const [mine, theirs] = [await open(), await open()];
    await write(theirs, { phone: '555-0199' });
    const error = await failure(write(mine, { phone: '555-0111' }));
    if (!(error instanceof ThroughConflictError)) throw error;
    expect(error.now.values.phone).toBe('555-0199');
    const again = await write(error.now, { phone: '555-0111' });
    expect(again.values.phone).toBe('555-0111');
  });

  it('says when the system fails, and can be written again under the same key', async () => {
    const opened = await open();
    trouble('error 500');
    const submission = randomUUID();
    expect(await codes(write(opened, { contact: 'Ada' }, { submission }))).toEqual([
      ':outside_status',
    ]);
    trouble('no answer');
    expect(await codes(write(opened, { contact: 'Ada' }, { submission }))).toEqual([
      ':outside_away',
    ]);
  });

  it('only shows the record where nothing says how it is written', async () => {
    const shown = { ...plan, through: plan.through && { ...plan.through, write: null } };
    const { key, etag, values } = await open();
    const request = { key, etag, before: values, values, submission: randomUUID() };
    const tables = await loadTables(held.db);
    expect(await codes(writeThrough(held.db, tables, shown, request, 'test'))).toEqual([
      ':through_read_only',
    ]);
  });

  it('is not published while a field of it saves to a column', async () => {
    const [section] = plan.sections;
    const saving = field('other', { savesTo: 'name' });
    const broken = section && {
      ...plan,
      sections: [{ ...section, fields: [...section.fields, saving] }],
    };
    await makeForm(held.db, { table: 'ensemble', key: 'broken', plan: broken as Plan }, 'test');
    expect(await codes(publishForm(held.db, 'broken', 1, 'test'))).toEqual(['other:through_saves']);
  });
});
