import { houseOf } from '../../core/table/sources';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import {
  column,
  field,
  loanPlan,
  lookupOf,
  planOf,
  reference,
  table,
} from '../../../tests/support/definitions';
import { wireForm } from '../../core/wiring/form';
import { EntrySession } from './session.svelte';

const tables = houseOf(
  [
    table('region', [column('name')]),
    table('town', [column('name'), reference('region')]),
    table('ensemble', [column('name'), reference('town')]),
    table('loan', [
      reference('ensemble'),
      column('number'),
      column('lent_on', { type: { kind: 'date' } }),
    ]),
  ].map((t) => [t.key, t] as const),
);

interface Sent {
  edition: number;
  values: Record<string, unknown>;
  asks: { id: string; field: string; search?: string; given?: unknown }[];
}

let sent: Sent[];
let respond: (body: Sent) => Response | Promise<Response>;

const offered = ({ asks }: Sent, found = 1) =>
  Response.json({
    answers: asks.map(({ id }) => ({
      id,
      choices: [{ value: 11, shown: ['Velden'] }],
      next: null,
      found,
      more: false,
      current: { value: 11, shown: ['Velden'] },
    })),
  });

beforeEach(() => {
  sent = [];
  respond = (body) => offered(body);
  vi.stubGlobal('fetch', async (_: string, init: { body: string }) => {
    const body = JSON.parse(init.body) as Sent;
    sent.push(body);
    return respond(body);
  });
});
afterEach(() => {
  vi.unstubAllGlobals();
  vi.useRealTimers();
});

const open = (plan = loanPlan()) =>
  new EntrySession('lend', { edition: 3 }, wireForm(plan, tables), tables);
const settled = (session: EntrySession) =>
  vi.waitFor(() => expect(session.entry.asks()).toEqual([]));

describe('an entry on the screen', () => {
  it('sends one request for all that one change touches', async () => {
    const by = {
      path: 'region',
      operator: 'equal',
      field: 'region',
      whileEmpty: 'nothing',
    } as const;
    const narrowed = { choices: lookupOf('town', { narrowings: [by] }) };
    const plan = planOf('loan', [
      field('region', { choices: lookupOf('region') }),
      ...['one', 'two', 'three'].map((key) => field(key, narrowed)),
    ]);
    const session = open(plan);
    session.set('region', 1, { value: 1, shown: ['North'] });
    await settled(session);
    expect(sent).toHaveLength(1);
    expect(sent[0]).toMatchObject({ edition: 3 });
    expect(sent[0]?.asks.map((ask) => ask.given)).toEqual(Array(3).fill({ region: 1 }));
    expect(sent[0]?.asks.map((ask) => ask.field)).toEqual(['one', 'two', 'three']);
  });

  it('asks nothing for what is only typed', () => {
    const session = open();
    session.type('number', 'L-1');
    session.type('lent_on', 'soon');
    expect(sent).toEqual([]);
    expect(session.entry.value('number')).toBe('L-1');
  });

  it('says that the server is away, keeps what was chosen, and goes on by itself', async () => {
    vi.useFakeTimers();
    respond = () => Promise.reject(new TypeError('refused'));
    const session = open();
    session.set('region', 1, { value: 1, shown: ['North'] });
    await vi.waitFor(() => expect(session.reads.away).toBe(true));
    expect(session.entry.value('region')).toBe(1);
    respond = (body) => offered(body);
    await vi.advanceTimersByTimeAsync(2000);
    expect(session.reads.away).toBe(false);
    expect(session.choices('town')).toMatchObject({ status: 'offered', offer: { found: 1 } });
  });

  it('marks the field where a read is refused, and asks again when told to', async () => {
    respond = () =>
      Response.json(
        { problems: [{ path: '', code: 'internal', message: 'Broken.', hint: '' }] },
        { status: 500 },
      );
    const session = open();
    session.set('region', 1, { value: 1, shown: ['North'] });
    await vi.waitFor(() => expect(session.choices('town').status).toBe('failed'));
    respond = (body) => offered(body);
    session.retry();
    await vi.waitFor(() => expect(session.choices('town').status).toBe('offered'));
  });

  it('ignores an answer that comes after it was closed', async () => {
    let release = () => {};
    respond = async (body) => {
      await new Promise<void>((done) => (release = done));
      return offered(body);
    };
    const session = open();
    session.set('region', 1, { value: 1, shown: ['North'] });
    session.close();
    release();
    await new Promise((done) => setTimeout(done, 20));
    expect(session.choices('town')).toEqual({ status: 'asking' });
  });

  it('reads a list when it is opened, and gives the problem where it cannot', async () => {
    const session = open();
    expect(await session.list('region', 'vel')).toMatchObject({ found: 1 });
    expect(sent[0]?.asks).toEqual([
      { id: 'list:region', field: 'region', search: 'vel', given: {}, current: null },
    ]);
    respond = () => Response.json({ answers: [] });
    expect(await session.list('region', '')).toMatchObject({ code: 'read_failed' });
  });
});

describe('problems on the screen', () => {
  it('a missing value is told only after a try to save; a wrong one when its field is left', () => {
    const session = open();
    expect(session.problems.at('ensemble')).toBeNull();
    session.type('lent_on', 'soon');
    expect(session.problems.at('lent_on')).toBeNull();
    session.problems.touched.add('lent_on');
    expect(session.problems.at('lent_on')?.code).toBe('not_date');
    session.problems.showsAll = true;
    expect(session.problems.at('ensemble')?.code).toBe('required');
  });

  it('what the server told goes when its field changes', () => {
    const session = open();
    session.problems.told = [
      { path: 'number', code: 'not_unique', message: 'taken', hint: '' },
      { path: 'lent_on', code: 'not_date', message: 'no', hint: '' },
    ];
    session.type('number', 'L-2');
    expect(session.problems.told.map((p) => p.path)).toEqual(['lent_on']);
  });

  it('a chosen record is shown by its columns, a value by its type', () => {
    const session = open();
    session.set('region', 1, { value: 1, shown: ['North', null, 'N'] });
    session.type('lent_on', '2027-03-01');
    expect(session.words.shown('region')).toBe('North · N');
    expect(session.words.shown('lent_on')).toBe('Mar 1, 2027');
    expect(session.words.shown('number')).toBe('');
  });
});
