import { askerAt } from '$lib/server/access/let-in';
import { dayAfter, dayIn } from '$lib/core/values/dates';
import { listEntryDrafts } from '$lib/server/records/entry-drafts';
import { formUses } from '$lib/server/records/form-uses';
import { listSaves } from '$lib/server/records/saves';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

/** So many days of use are drawn. */
const daysShown = 14;

export const load: PageServerLoad = async ({ locals }) => {
  const db = await readyDatabase();
  const tables = await locals.house();
  const today = dayIn('UTC', new Date());
  const days = Array.from(
    { length: daysShown },
    (_, i) => dayAfter(today, i - daysShown + 1) ?? today,
  );
  const uses = await formUses(db, days[0] ?? today);
  const { rights } = askerAt({ locals });
  const forms = (await locals.forms()).filter(({ key }) => rights.anyForm(key));
  // How often others filled a form in tells of records out of sight.
  const told = (table: string) => tables.sight === null || tables.sight.get(table)?.when === null;
  return {
    days,
    forms: forms.map((form) => ({
      ...form,
      use: told(form.table) ? (uses.get(form.key) ?? null) : null,
    })),
    tables: [...tables.values()].map(({ key, title }) => ({ key, title })),
    drafts: (await listEntryDrafts(db, locals.asker?.person.name ?? '')).slice(0, 3),
    saves: await listSaves(db, tables, { limit: 12 }),
  };
};
