import { say } from '$lib/core/words/say';
import { listForms } from '$lib/server/catalog/forms';
import { loadTables } from '$lib/server/catalog/tables';
import type { House } from '$lib/core/table/definition';
import type { Database } from '$lib/server/database/connection';
import { log } from '$lib/server/log';
import { readyDatabase } from '$lib/server/start';
import type { LayoutServerLoad } from './$types';

export const load: LayoutServerLoad = async ({ locals, depends, url }) => {
  depends('unisor:catalog');
  const person = locals.person.name;
  // A guest is told nothing of what else there is.
  if (url.pathname.startsWith('/guest/')) return { places: [], optionLists: [], person: 'guest' };
  try {
    const db = await readyDatabase();
    const tables = await loadTables(db);
    const optionLists = [...(tables.lists.values() ?? [])].map(({ key, title }) => ({
      key,
      title,
    }));
    return { places: await listPlaces(db, tables), optionLists, person };
  } catch (error) {
    // The page itself says what is wrong; the bar stays.
    log.warn({ err: error }, 'the places could not be listed');
    return { places: [], optionLists: [], person };
  }
};

async function listPlaces(db: Database, tables: House) {
  const forms = await listForms(db);
  return [
    ...forms.flatMap(({ key, title, edition }) => [
      ...(edition > 0 ? [{ label: title, kind: say('fill in'), href: `/forms/${key}` }] : []),
      { label: title, kind: say('design'), href: `/forms/${key}/design` },
    ]),
    ...[...(tables.lists.values() ?? [])].map(({ key, title }) => ({
      label: title,
      kind: say('list'),
      href: `/lists/${key}`,
    })),
    ...[...tables.values()].flatMap(({ key, title }) => [
      { label: title, kind: say('table'), href: `/tables/${key}` },
      {
        label: say(`Draft a form on ${title}`),
        kind: say('new form'),
        href: `/tables/${key}?draft`,
      },
    ]),
  ];
}
