import { describe, expect, it } from 'vitest';
import { lendingTables as tables } from '../../../tests/support/lending';
import { renameInCondition, renameInRole } from './rename-rights';
import { roleSchema } from '../access/role';

describe('L3 rights by record follow what they name', () => {
  it.each([
    ['region = person.region', 'town', null, 'area', 'region = person.area'],
    [
      'town.region.name = person.region.name',
      'ensemble',
      null,
      'area',
      'town.region.name = person.area.name',
    ],
    [
      'town.region.name = person.region.name',
      'ensemble',
      'name',
      'called',
      'town.region.called = person.region.called',
    ],
    [
      'name = "region" and person.name = name',
      'region',
      null,
      'area',
      'name = "region" and person.name = name',
    ],
    [
      'name = "name" or not(name = person.name)',
      'region',
      'name',
      'called',
      'called = "name" or not(called = person.name)',
    ],
    [
      'region . name = person . region . name',
      'town',
      'name',
      'n',
      'region . n = person . region . n',
    ],
    ['name = (', 'region', 'name', 'called', 'name = ('],
    [
      'name in (person.region.name, "x")',
      'town',
      'name',
      'called',
      'name in (person.region.called, "x")',
    ],
  ])('%s over %s', (source, table, column, to, after) => {
    expect(renameInCondition(source, table, tables, { table: 'region', column, to })).toBe(after);
  });

  it('what is hidden of a table stays hidden under another key, and nothing else is', () => {
    const right = {
      does: ['see'],
      hidden: ['contact', 'name'],
      readOnly: ['code'],
      when: 'name = "x"',
    };
    const role = roleSchema.parse({
      key: 'clerk',
      title: 'Clerk',
      tables: {
        ensemble: right,
        town: { does: ['see'], hidden: ['name'] },
        '*': { does: ['see'] },
      },
    });
    const column = renameInRole(role, tables, { table: 'ensemble', column: 'name', to: 'called' });
    expect(column.tables).toMatchObject({
      ensemble: { hidden: ['contact', 'called'], readOnly: ['code'], when: 'called = "x"' },
      town: { hidden: ['name'] },
    });
    const table = renameInRole(role, tables, { table: 'ensemble', column: null, to: 'group_of' });
    expect(Object.keys(table.tables)).toEqual(['group_of', 'town', '*']);
    expect(table.tables.group_of).toEqual(role.tables.ensemble);
  });
});
