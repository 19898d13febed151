import { askerAt } from '$lib/server/access/let-in';
import { dayAfter, dayIn } from '$lib/core/values/dates';
import { listEntryDrafts } from '$lib/server/records/entry-drafts';
import { formUses } from '$lib/server/records/form-uses';
import { listSaves } from '$lib/server/records/saves';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

/** So many days of use are drawn, and so many forms: those that were used last. */
const daysShown = 14;
const formsShown = 30;
/** At most so many things stand there to go on with. */
const begunShown = 3;

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
  const used = forms.map((form) => ({
    ...form,
    use: told(form.table) ? (uses.get(form.key) ?? null) : null,
  }));
  const lately = used.length > formsShown ? used.toSorted(byUse).slice(0, formsShown) : used;
  const drafts = (await listEntryDrafts(db, locals.asker?.person.name ?? '')).slice(0, begunShown);
  const saves = await listSaves(db, tables, { limit: 12 });
  // Only what the page names of all that there is.
  const named = new Set([
    ...saves.flatMap(({ form }) => form ?? []),
    ...drafts.map(({ form }) => form),
  ]);
  const designed = forms.filter(
    ({ key, changed, edition }) => changed && edition > 0 && rights.form(key, 'design'),
  );
  const shown = new Set([
    ...lately.map(({ table }) => table),
    ...saves.flatMap(({ table, others }) => [table, ...others.map((other) => other.table)]),
  ]);
  return {
    days,
    forms: lately,
    /** How many forms there are. */
    all: forms.length,
    designed: designed
      .toSorted((a, b) => Date.parse(b.draftAt) - Date.parse(a.draftAt))
      .slice(0, begunShown),
    titles: forms.flatMap(({ key, title }) => (named.has(key) ? [{ key, title }] : [])),
    tables: [...tables.values()].flatMap(({ key, title }) =>
      shown.has(key) ? [{ key, title }] : [],
    ),
    empty: tables.size === 0,
    drafts,
    saves,
  };
};

interface Used {
  use: { last: { at: string } } | null;
  edition: number;
}

/** Those that were filled in last come first, then those that can be. */
function byUse(one: Used, other: Used): number {
  const at = ({ use, edition }: Used) => (use ? Date.parse(use.last.at) : Math.min(1, edition));
  return at(other) - at(one);
}
