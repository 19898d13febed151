import { describe, expect, it } from 'vitest';
import { houseOf } from '$lib/core/table/sources';
import type { House } from '$lib/core/table/definition';
import { examine } from '$lib/core/wiring/examine';
import { column, planOf, table } from '../../../tests/support/definitions';
import { lendingPlan, lendingTables, linesPlan } from '../../../tests/support/lending';
import { wholePlan, wholeTables } from '../../../tests/support/whole-plan';
import { begunWith } from './designed';

/** A house with so many more tables, to which nothing refers. */
function among(house: House, more: number): House {
  const others = Array.from({ length: more }, (_, i) => table(`other_${i}`, [column('name')]));
  return houseOf([...house, ...others.map((one) => [one.key, one] as const)], house);
}

describe('the page of a plan in a large house', () => {
  it('begins with all tables where there are few', () => {
    const house = among(lendingTables, 20);
    expect(begunWith(house, lendingPlan())).toEqual({ tables: house, partly: false });
  });

  it.each([
    ['a loan', lendingPlan(), lendingTables],
    ['a loan with lines', linesPlan(), lendingTables],
    ['all that plans can hold', wholePlan, wholeTables],
  ])('begins with what its plan is judged by: %s', (_, plan, own) => {
    const house = among(own, 1000);
    const { tables, partly } = begunWith(house, plan);
    expect(partly).toBe(true);
    expect(tables.size).toBeLessThanOrEqual(own.size);
    expect(examine(plan, tables)).toEqual(examine(plan, house));
    // What the fields could take their values from besides is all there.
    expect([tables.lists, tables.queries, tables.systems]).toEqual([
      house.lists,
      house.queries,
      house.systems,
    ]);
  });

  it('begins with the table of the plan at least', () => {
    const house = among(houseOf(), 200);
    expect([...begunWith(house, planOf('other_7', [])).tables.keys()]).toEqual(['other_7']);
  });
});
