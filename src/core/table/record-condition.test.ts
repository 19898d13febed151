import { describe, expect, it } from 'vitest';
import { never } from '../access/sight';
import { Rights } from '../access/rights';
import { roleSchema } from '../access/role';
import { lendingTables } from '../../../tests/support/lending';
import type { Value } from '../values/types';
import { conditionFor, personPathType, readRecordCondition } from './record-condition';
import { personPaths, seenHouse, sightOf, unreadableConditions } from './seen';

const town = lendingTables.get('town') ?? expect.fail('no town');

function read(source: string) {
  const found = readRecordCondition(lendingTables, town, source);
  return 'problem' in found ? expect.fail(found.problem.problem.message) : found;
}
const refused = (source: string) => {
  const found = readRecordCondition(lendingTables, town, source);
  return 'problem' in found ? found.problem : expect.fail('was read');
};

describe('L3 a condition by record', () => {
  it('compares columns with values and with the person', () => {
    expect(read('name = "Harrowby"').condition).toMatchObject({ is: 'compare', sign: '=' });
    expect(read('region = person.region').person).toEqual(['region']);
    expect(read('region.name = person.town.region.name').person).toEqual(['town.region.name']);
    expect(read('id = person.town').condition).toMatchObject({ is: 'compare' });
  });

  it('denies by turning the comparisons', () => {
    expect(read('not(name = "a" and name < "b")').condition).toMatchObject({
      is: 'any',
      of: [{ sign: '!=' }, { sign: '>=' }],
    });
    expect(read('not(name in ("a", "b"))').condition).toMatchObject({
      is: 'all',
      of: [{ sign: '!=' }, { sign: '!=' }],
    });
    expect(read('not(name = null)').condition).toMatchObject({ is: 'empty', yes: false });
  });

  it.each([
    ['nothing', 'an unknown name'],
    ['region', 'a record is no condition'],
    ['name', 'nor is a text'],
    ['name = 5', 'kinds that do not compare'],
    ['region = "North"', 'a record and a text'],
    ['region < person.region', 'records have no order'],
    ['name = upper case("a")', 'functions'],
    ['count(region) > 1', 'totals'],
    ['name = person.nothing', 'nothing of the person'],
    ['if name = "a" then true else false', 'choices'],
    ['name = "a" or', 'unfinished'],
  ])('refuses %s: %s', (source) => {
    expect(refused(source).problem.message).not.toBe('');
  });

  it('compares what the person does not have with nothing, also where that is denied', () => {
    for (const source of ['region = person.region', 'not(region = person.region)']) {
      const { condition } = read(source);
      expect(conditionFor(condition, {}), source).toEqual(never);
      expect(conditionFor(condition, { region: 3 }), source).toMatchObject({ is: 'compare' });
    }
    const { condition } = read('person.region = null');
    expect(conditionFor(condition, {})).toEqual({ is: 'all', of: [] });
    expect(conditionFor(condition, { region: 3 })).toEqual(never);
  });

  it('knows what a person is', () => {
    expect(personPathType(lendingTables, 'name')).toMatchObject({ kind: 'text' });
    expect(personPathType(lendingTables, 'town')).toEqual({ kind: 'reference', table: 'town' });
    expect(personPathType(lendingTables, 'town.region.name')).toMatchObject({ kind: 'text' });
    expect(personPathType(lendingTables, 'town.nothing')).toBeNull();
    expect(personPathType(lendingTables, 'password')).toBeNull();
  });
});

describe('L3 what somebody sees', () => {
  const seen = (when: string, person: Record<string, Value> = {}, hidden: string[] = []) => {
    const tables = { town: { does: ['see' as const], hidden, readOnly: [], when } };
    const role = roleSchema.parse({ key: 'some', title: 'Some', tables });
    const rights = new Rights([role]);
    return { role, rights, sight: sightOf(lendingTables, rights, person) };
  };

  it('is nothing of a table that no role shows', () => {
    const { sight } = seen('');
    expect([...sight.keys()]).toEqual(['town']);
    expect([...seenHouse(lendingTables, sight).keys()]).toEqual(['town']);
  });

  it('is nothing where a condition cannot be read any more; the keeper is told', () => {
    const { sight, role } = seen('a_column_that_was_removed = 1');
    expect(sight.get('town')?.when).toEqual({ is: 'any', of: [never] });
    expect(unreadableConditions(lendingTables, role)).toMatchObject([{ table: 'town' }]);
  });

  it('has no trace of hidden columns: not in columns, display, indexes', () => {
    const { sight } = seen('', {}, ['name']);
    const house = seenHouse(lendingTables, sight);
    expect(JSON.stringify([...house.values()])).not.toContain('"name"');
    expect(house.whole).toBe(lendingTables);
  });

  it('reads of the person only what its conditions ask for', () => {
    expect(personPaths(lendingTables, seen('region.name = person.region.name').rights)).toEqual([
      'region.name',
    ]);
  });
});
