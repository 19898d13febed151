import { describe, expect, it } from 'vitest';
import { lendingTables } from '../../../tests/support/lending';
import { field, lookupOf, planOf } from '../../../tests/support/definitions';
import { personPathsOf } from '../plan/person-paths';
import { reachedBy } from '../plan/reach';
import { wireForm } from '../wiring/form';
import { Entry } from './entry';

const plan = planOf('loan', [
  field('town', { choices: lookupOf('town'), initially: 'person.town' }),
  field('who', { initially: 'person.name' }),
  field('where', { computes: 'person.town.region.name' }),
  field('mine', {
    computes: 'if person.town = person.town then person.town.region.name else null',
  }),
]);

describe('L1 a person in formulas', () => {
  const facts = { name: 'Brida Quist', town: 12, 'town.region': 1, 'town.region.name': 'North' };
  const filled = (person: Record<string, string | number>) => {
    const entry = new Entry(wireForm(plan, lendingTables), { mode: 'new', around: { person } });
    return (key: string) => entry.value(key);
  };

  it('begins fields, and is read through references', () => {
    const value = filled(facts);
    expect(value('town')).toBe(12);
    expect(value('who')).toBe('Brida Quist');
    expect(value('where')).toBe('North');
    expect(value('mine')).toBe('North');
  });

  it('is absent as far as nothing is known of them', () => {
    const value = filled({ name: 'guest' });
    expect(value('town')).toBeNull();
    expect(value('who')).toBe('guest');
    expect(value('where')).toBeNull();
  });

  it('asks for what is read of them, and takes its tables along', () => {
    expect(personPathsOf(plan, lendingTables)).toEqual([
      ...['name', 'town', 'town.region', 'town.region.name'],
    ]);
    expect(
      reachedBy(planOf('score', [field('where', plan.sections[0]?.fields[2])]), lendingTables).has(
        'region',
      ),
    ).toBe(true);
  });

  it('cannot be read further than they are known', () => {
    const wrong = planOf('loan', [field('x', { computes: 'person.password' })]);
    const form = wireForm(wrong, lendingTables);
    expect(form.findings.length).toBeGreaterThan(0);
  });
});
