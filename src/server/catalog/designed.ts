import { reachedTables } from '$lib/core/plan/reach';
import type { Plan } from '$lib/core/plan/schema';
import type { House } from '$lib/core/table/definition';
import { houseOf } from '$lib/core/table/sources';
import type { Database } from '../database/connection';
import type { CatalogForm } from './forms';
import { typedElsewhere } from './lists';

/** In a house of more tables, the page of a plan begins with those that it has to do with. */
const most = 150;

/** The house as a form is designed in it: all of it, since its fields may take their values from anywhere. */
export async function designedIn(
  db: Database,
  house: House,
  form: string,
  forms: readonly CatalogForm[],
): Promise<House> {
  const typed = new Map(await typedElsewhere(db, form, forms));
  return houseOf(house, { ...house, typed });
}

/** The same with the tables alone that a plan has to do with, where there are many; gives whether that is so. */
export function begunWith(house: House, plan: Plan): { tables: House; partly: boolean } {
  if (house.size <= most) return { tables: house, partly: false };
  const reached = reachedTables(plan, house).map((table) => [table.key, table] as const);
  const tables = houseOf(reached, house);
  return { tables, partly: true };
}
