import { describe, expect, it } from 'vitest';
import { clockFrom } from '../formula/clock';
import { afterSchema, takesSchema, type After } from '../plan/schema';
import { closedAt, full } from '../plan/takes';
import { tablesWith } from '../table/sources';
import { column, field, planOf, table } from '../../../tests/support/definitions';
import { wireForm } from '../wiring/form';
import { examine } from '../wiring/examine';
import { afterMessage, onward } from './after';
import { Entry } from './entry';

const tables = tablesWith({
  tables: [table('visit', [column('name'), column('on', { type: { kind: 'date' } })])],
});
const fields = [field('name', { savesTo: 'name' }), field('on', { savesTo: 'on' })];
const planWith = (after: Partial<After>) =>
  planOf('visit', fields, { after: afterSchema.parse(after) });
const entryOf = (after: Partial<After>) => {
  const around = { clock: clockFrom(() => new Date('2026-03-01T12:00:00Z')) };
  const filled = { values: { name: 'Ada & Co', on: '2026-03-01' }, own: ['name', 'on'] };
  return new Entry(wireForm(planWith(after), tables), { mode: 'new', filled, around });
};
const next = (after: Partial<After>, about: Partial<Parameters<typeof onward>[1]> = {}) =>
  onward(entryOf(after), { isNew: true, guest: false, ...about });

describe('F10 what follows a save', () => {
  it('says values as people read them, and formulas as they come out', () => {
    const message = 'Thank you, {name}: {on}, {string length(name)} letters, {nothing}.';
    expect(afterMessage(entryOf({ message }))).toBe(
      'Thank you, Ada & Co: Mar 1, 2026, 8 letters, {nothing}.',
    );
    expect(afterMessage(entryOf({}))).toBe('');
  });

  it('goes where the plan says, a guest nowhere in the house', () => {
    expect(next({})).toEqual({ to: 'receipt' });
    expect(next({ next: 'another' })).toEqual({ to: 'another' });
    expect(next({ next: 'another' }, { isNew: false })).toEqual({ to: 'receipt' });
    expect(next({ next: 'record' })).toEqual({ to: 'record' });
    const form = { next: 'form', form: 'loan', carry: { who: 'name' } } as const;
    expect(next(form)).toEqual({ to: 'page', address: '/forms/loan?with.who=Ada%20%26%20Co' });
    for (const after of [{ next: 'record' } as const, form]) {
      expect(next(after, { guest: true })).toEqual({ to: 'receipt' });
    }
    const address = 'https://example.org/thanks';
    expect(next({ next: 'address', address }, { guest: true })).toEqual({
      to: 'elsewhere',
      address,
    });
  });

  it.each(['javascript:alert(1)', '//evil.example', '/\\evil.example', 'data:text/html,x', ''])(
    'goes to no address that is none: %s',
    (address) => {
      expect(next({ next: 'address', address })).toEqual({ to: 'receipt' });
      const found = examine(planWith({ next: 'address', address }), tables);
      expect(found.map(({ problem }) => problem.code)).toContain('after_nowhere');
    },
  );

  it('takes records from a moment to another, and says in its own words that it does not', () => {
    const takes = takesSchema.parse({
      from: '2026-03-01T08:00:00Z',
      until: '2026-03-02T08:00:00Z',
    });
    const code = (now: string) => closedAt(takes, now)?.code ?? null;
    expect(code('2026-03-01T07:59:59Z')).toBe('form_not_open');
    expect([code('2026-03-01T08:00:00Z'), code('2026-03-02T07:59:59Z')]).toEqual([null, null]);
    expect(code('2026-03-02T08:00:00Z')).toBe('form_closed');
    expect(closedAt(undefined, '2026-03-01T07:00:00Z')).toBeNull();
    const own = { ...takes, closed: 'See you in spring.' };
    expect(closedAt(own, '2027-01-01T00:00:00Z')).toMatchObject({
      ...{ code: 'form_closed', message: 'See you in spring.', hint: '' },
    });
    expect([full(takes, 'all').code, full(own, 'own').message]).toEqual([
      ...['form_full', 'See you in spring.'],
    ]);
    const never = planOf('visit', fields, { takes: { ...takes, until: takes.from } });
    expect(examine(never, tables).map(({ problem }) => problem.code)).toContain('takes_never');
  });
});
