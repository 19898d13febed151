import { describe, expect, it } from 'vitest';
import {
  lendingPlan,
  lendingTables,
  lendingWorld,
  linesPlan,
} from '../../../tests/support/lending';
import { readerOf } from '../../../tests/support/world';
import type { Plan } from '../plan/schema';
import { wireForm } from '../wiring/form';
import { openedBeginning } from './beginning';
import { broughtLive, driftOf, type BroughtNow } from './drift';
import { Entry } from './entry';
import { settle } from './settle';
import type { OpenedRecord } from './stored';

const row = (id: number, values: Record<string, string | number>) => ({
  ...{ stored: { id, version: 1, values: { ...values, loan: 7 } }, values },
});
const loan = (values: Record<string, string | number | null> = {}): OpenedRecord => {
  const all = { weeks: 2, total: '2.40', copies: 3, ...values };
  return {
    stored: { id: 7, version: 3, values: all },
    values: all,
    rows: {
      lines: [
        row(71, { score: 31, copies: 2, fee: '1.60' }),
        row(72, { score: 32, copies: 1, fee: '0.80' }),
      ],
    },
  };
};

async function drift(plan: Plan, record: OpenedRecord, now: BroughtNow = () => undefined) {
  const form = wireForm(plan, lendingTables);
  const clock = { today: () => '2026-11-24', now: () => '2026-11-24T10:00:00Z' };
  const entry = new Entry(form, { ...openedBeginning(record), around: { clock } });
  await settle(entry, readerOf(lendingWorld(), form));
  return { entry, found: driftOf(entry, now) };
}
const told = (found: ReturnType<typeof driftOf>) =>
  found.map(({ kind, grid, record, field }) => [kind, grid, record, field].join(' ').trim());

describe('K2 drift', () => {
  it('finds what would come out otherwise, with what it would be', async () => {
    const { entry, found } = await drift(linesPlan(), loan());
    // The record itself is left as it is.
    expect(entry.value('total')).toBe('2.40');
    const fees = found.filter(({ field }) => field === 'fee');
    expect(told(fees)).toEqual(['computed lines 72 fee']);
    expect(fees).toMatchObject([{ value: '0.80', now: '0.16' }]);
  });

  it('finds what is missing, and what checks say of a record as it stands', async () => {
    const plan = linesPlan();
    for (const section of plan.sections) {
      for (const field of section.fields) if (field.key === 'weeks') field.required = true;
    }
    const copies = plan.sections[1]?.fields.find(({ key }) => key === 'copies');
    copies?.checks.push({ holds: 'copies < 2', message: 'One each.' });
    const { found } = await drift(plan, loan({ weeks: null }));
    expect(told(found)).toContain('required  7 weeks');
    const checks = found.filter(({ kind }) => kind === 'check');
    expect(checks).toMatchObject([{ record: 71, field: 'copies', message: 'One each.', value: 2 }]);
  });

  it('finds a value that is no value of its type any more', async () => {
    const { found } = await drift(linesPlan(), loan({ weeks: 'two' }));
    expect(told(found)).toContain('unreadable  7 weeks');
  });

  it('says nothing of a record that is as it would be saved today', async () => {
    const first = await drift(linesPlan(), loan());
    const fitting = loan();
    for (const { grid, record, field, now } of first.found) {
      const host = grid === '' ? fitting : fitting.rows[grid]?.find((r) => r.stored.id === record);
      if (host && now !== undefined) host.values[field] = now;
    }
    const second = await drift(linesPlan(), fitting);
    expect(second.found.filter(({ kind, grid }) => kind === 'computed' && grid !== '')).toEqual([]);
  });

  it('finds what has changed where it is brought from, and asks for just that', async () => {
    const plan = lendingPlan();
    for (const field of plan.sections.flatMap(({ fields }) => fields)) {
      for (const bring of field.brings) if (bring.into === 'email') bring.editable = false;
    }
    const values = { ensemble: 21, email: 'old@example.org', copies: 1, weeks: 2 };
    const record = { stored: { id: 7, version: 1, values }, values, rows: {} };
    const now: BroughtNow = (table, id, path) =>
      [table, id, path].join(' ') === 'ensemble 21 email' ? 'new@example.org' : undefined;
    const { entry, found } = await drift(plan, record, now);
    expect(found.filter(({ kind }) => kind === 'brought')).toMatchObject([
      { field: 'email', record: 7, value: 'old@example.org', now: 'new@example.org' },
    ]);
    const wanted = new Map([['ensemble', { ids: new Set([21]), paths: new Set(['email']) }]]);
    expect(broughtLive([entry, entry])).toEqual(wanted);
  });
});
