import { formsNaming, type NamingForm } from './plan-uses';
import type { UsingForm } from '$lib/core/contract/answers';
import { usesOf, type Subject } from '$lib/core/plan/uses';
import type { Column, Table, House } from '$lib/core/table/definition';
import { isOtherSide } from '$lib/core/table/links';
import { isLink } from '$lib/core/values/types';
import type { Database } from '../database/connection';
import { loadTables } from './tables';

/** Which forms use a table, a column or an option, and where (A7). */
export async function impactOf(
  db: Database,
  subject: Subject,
  /** The forms that name the table, where they are known. */
  known?: readonly NamingForm[],
  house?: House,
): Promise<UsingForm[]> {
  const tables = house ?? (await loadTables(db));
  const found: UsingForm[] = [];
  const naming = known ?? (await formsNaming(db, { kind: 'table', name: subject.table }));
  for (const { form, plans } of naming) {
    const using = plans
      .map(({ which, plan }) => ({ which, uses: usesOf(plan, tables, subject) }))
      .filter(({ uses }) => uses.length > 0);
    const [first] = using;
    if (!first) continue;
    const { key, title } = form;
    found.push({ key, title, plans: using.map((u) => u.which), uses: first.uses });
  }
  return found;
}

/** A use in words: `Lend music (Ensemble: brings, saves to)`. */
export function useWords({ title, plans, uses }: UsingForm): string {
  const fields = uses.map(
    ({ field, questions }) => `${field || 'the form'}: ${questions.join(', ')}`,
  );
  const which = plans.length === 2 ? '' : plans[0] === 'draft' ? ', draft' : ', edition in use';
  return `${title}${which} (${fields.join('; ')})`;
}

/** The columns of all tables that refer to a table; the other sides of its own links where asked for. */
export function referencesTo(
  tables: House,
  key: string,
  mirrors = false,
): { table: Table; column: Column }[] {
  return [...tables.values()].flatMap((table) =>
    table.columns
      .filter(({ type }) => isLink(type) && type.table === key && (mirrors || !isOtherSide(type)))
      .map((column) => ({ table, column })),
  );
}
