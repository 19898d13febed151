import { describe, expect, it } from 'vitest';
import { limitedRoles, Rights } from './rights';
import { roleSchema, shippedRoles, type Role } from './role';

const role = (wish: Partial<Role>) => roleSchema.parse({ key: 'some', title: 'Some', ...wish });
const right = (does: Role['tables'][string]['does'], more = {}) => ({
  ...{ does, hidden: [], readOnly: [], when: '' },
  ...more,
});

describe('L2 roles that fill in a form', () => {
  it('are told by the tables of which they do not see everything', () => {
    const filling = (title: string, tables: Role['tables']) =>
      role({ key: title.toLowerCase(), title, tables, forms: { lend: ['fill'] } });
    const roles = [
      ...shippedRoles().filter(({ key }) => key === 'keeper'),
      filling('All', { '*': right(['see']) }),
      filling('North', { '*': right(['see']), loan: right(['see'], { when: 'region = "North"' }) }),
      filling('Short', { '*': right(['see'], { hidden: ['fee'] }) }),
      filling('Blind', {}),
      role({ title: 'Elsewhere', forms: { other: ['fill'] } }),
    ];
    expect([...limitedRoles(roles, 'lend', ['loan', 'town'])]).toEqual([
      ['loan', ['North', 'Short', 'Blind']],
      ['town', ['Short', 'Blind']],
    ]);
  });
});

describe('L2 rights', () => {
  it('are none by themselves', () => {
    const nobody = new Rights([]);
    expect(nobody.table('loan', 'see')).toBe(false);
    expect(nobody.form('lend_music', 'fill')).toBe(false);
    expect(nobody.place('people')).toBe(false);
    expect(nobody.seen('loan')).toEqual([]);
    expect(nobody.keeps).toBe(false);
  });

  it('of a named table go before those of all others', () => {
    const rights = new Rights([
      role({ tables: { '*': right(['see', 'add']), loan: right(['see']) } }),
    ]);
    expect(rights.table('score', 'add')).toBe(true);
    expect(rights.table('loan', 'add')).toBe(false);
    expect(rights.table('loan', 'see')).toBe(true);
  });

  it('to change what cannot be seen are none', () => {
    const rights = new Rights([role({ tables: { loan: right(['change', 'remove']) } })]);
    expect(rights.table('loan', 'change')).toBe(false);
    expect(rights.table('loan', 'remove')).toBe(false);
  });

  it('of several roles add up; a column is hidden where every one hides it', () => {
    const hides = (hidden: string[], readOnly: string[] = []) =>
      role({ tables: { loan: right(['see'], { hidden, readOnly }) } });
    const rights = new Rights([hides(['fee', 'note']), hides(['fee'], ['note']), role({})]);
    expect(rights.shut('loan')).toEqual(new Set(['fee', 'note']));
    expect(rights.seen('loan')).toHaveLength(2);
  });

  it('of the shipped roles are what they say', () => {
    const [keeper, designer, clerk] = shippedRoles().map((one) => new Rights([one]));
    expect([keeper?.keeps, designer?.keeps, clerk?.keeps]).toEqual([true, false, false]);
    expect(designer?.place('people')).toBe(false);
    expect(designer?.form('any', 'publish')).toBe(true);
    expect(clerk?.table('any', 'see')).toBe(true);
    expect(clerk?.table('any', 'change')).toBe(false);
    expect(clerk?.form('any', 'design')).toBe(false);
    expect(clerk?.form('any', 'fill')).toBe(true);
  });
});
