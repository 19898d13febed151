import { describe, expect, it } from 'vitest';
import { lendingPlan, lendingTables, linesPlan } from '../../../tests/support/lending';
import { planSchema } from '../plan/schema';
import { wireForm } from './form';
import { guestReach } from './guest-reach';

describe('H4 what a guest is told besides the record', () => {
  it('is each list with its columns, by what narrows it, and each aggregate', () => {
    expect(guestReach(wireForm(lendingPlan(), lendingTables))).toEqual([
      { what: 'region: name', which: 'all of them' },
      { what: 'town: name', which: 'those that go with region' },
      {
        what: 'ensemble: name, region, rate, contact, email',
        which: 'those that go with town',
      },
      { what: 'score: name', which: 'all of them' },
      { what: 'received, worked out from copy_movement', which: 'those that go with score' },
      { what: 'lent, worked out from copy_movement', which: 'those that go with score' },
    ]);
  });

  it('names e-mails that go where the guest says', () => {
    const mail = { when: null, subject: 'Lent', text: 'Thanks.' };
    const told = (to: string) => {
      const plan = planSchema.parse({ ...lendingPlan(), mails: [{ ...mail, to }] });
      return guestReach(wireForm(plan, lendingTables)).filter(({ what }) =>
        what.includes('mail to'),
      );
    };
    const text = lendingPlan().sections[0]?.fields.find(({ key }) => key === 'note')?.key ?? 'note';
    expect(told(`{${text}}`)).toHaveLength(1);
    expect(told('{ensemble.email}, ottilie')).toEqual([]);
  });

  it('is said once, also of lines', () => {
    expect(guestReach(wireForm(linesPlan(), lendingTables))).toEqual([
      { what: 'score: name, pages', which: 'all of them' },
    ]);
  });
});
