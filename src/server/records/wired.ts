import type { Plan } from '$lib/core/plan/schema';
import type { House } from '$lib/core/table/definition';
import { wireForm, type WiredForm } from '$lib/core/wiring/form';

/** Plans wired before: a plan and the tables are made anew whenever one of them changes. */
const wired = new WeakMap<Plan, WeakMap<House, WiredForm>>();

/** The wired form of a plan over the tables, without wiring what was wired before. */
export function knownForm(plan: Plan, { whole: tables }: House): WiredForm {
  const byTables = wired.get(plan) ?? new WeakMap<House, WiredForm>();
  wired.set(plan, byTables);
  const form = byTables.get(tables) ?? wireForm(plan, tables);
  byTables.set(tables, form);
  return form;
}
