import { describe, expect, it } from 'vitest';
import { clockFrom } from '../formula/clock';
import { mailSchema, type Mail } from '../plan/schema';
import { tablesWith } from '../table/sources';
import { column, field, planOf, table } from '../../../tests/support/definitions';
import { examine } from '../wiring/examine';
import { wireForm } from '../wiring/form';
import { planSave } from './all-problems';
import { Entry } from './entry';
import { mailPlan, mostRecipients } from './mail-plan';

const tables = tablesWith({
  tables: [table('visit', [column('name'), column('mail'), column('copy')])],
});
const fields = [
  field('name', { savesTo: 'name' }),
  field('mail', { savesTo: 'mail' }),
  field('copy', { savesTo: 'copy', computes: 'mail' }),
];
const planWith = (mail: Partial<Mail>) =>
  planOf('visit', fields, { title: 'Visits', mails: [mailSchema.parse(mail)] });
const entryOf = (mail: Partial<Mail>, values: Record<string, string>) => {
  const around = { clock: clockFrom(() => new Date('2026-03-01T12:00:00Z')) };
  const filled = { values, own: Object.keys(values) };
  return new Entry(wireForm(planWith(mail), tables), { mode: 'new', filled, around });
};

describe('F10 the e-mails of a save', () => {
  it('go to addresses, to fields that hold some, and to people here by what they sign in with', () => {
    const mail = {
      to: 'desk@example.org, {mail}; ottilie',
      subject: 'Of {name}',
      text: 'Hello {name}.',
    };
    expect(mailPlan(entryOf(mail, { name: 'Ada', mail: 'ada@example.org' }))).toEqual([
      {
        to: ['desk@example.org', 'ada@example.org'],
        people: ['ottilie'],
        subject: 'Of Ada',
        text: 'Hello Ada.',
      },
    ]);
    expect(mailPlan(entryOf({ to: '{mail}' }, { name: 'Ada' }))).toEqual([]);
    expect(mailPlan(entryOf({ to: 'ottilie' }, {}))[0]?.subject).toBe('Visits');
  });

  it('keep a line break that was typed out of the subject', () => {
    const [made] = mailPlan(
      entryOf({ to: 'a@b.org', subject: '{name}' }, { name: 'x\r\nBcc: e@f.org' }),
    );
    expect(made?.subject).toBe('x Bcc: e@f.org');
  });

  it('take nobody of the house from what is typed: that is refused at its field', () => {
    const { mails, problems } = planSave(entryOf({ to: '{mail}' }, { mail: 'ottilie' }));
    expect(mails).toMatchObject([{ people: [], to: ['ottilie'] }]);
    expect(problems).toMatchObject([{ code: 'not_email', path: 'mail' }]);
  });

  it('do not hold up a save for an address that nobody types', () => {
    expect(planSave(entryOf({ to: '{copy}' }, { mail: 'none' })).problems).toEqual([]);
  });

  it('reach so many people at most, and only where their condition holds', () => {
    const to = Array.from({ length: 80 }, (_, i) => `p${i}@e`).join(',');
    expect(mailPlan(entryOf({ to }, {}))[0]?.to).toHaveLength(mostRecipients);
    expect(mailPlan(entryOf({ to: 'a@b.org', when: 'name = "x"' }, { name: 'y' }))).toEqual([]);
  });

  it('are looked over: to nobody, and with a formula that cannot be read', () => {
    const codes = (mail: Partial<Mail>) =>
      examine(planWith(mail), tables).map(({ problem }) => problem.code);
    expect(codes({ to: '' })).toContain('mail_to_nobody');
    expect(codes({ to: '{nothing}' })).toHaveLength(1);
    expect(codes({ to: '{mail}', text: '{name' })).toEqual([]);
  });
});
