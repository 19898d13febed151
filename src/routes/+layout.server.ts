import { listForms } from '$lib/server/catalog/forms';
import { loadTables } from '$lib/server/catalog/tables';
import { log } from '$lib/server/log';
import { readyDatabase } from '$lib/server/start';
import type { LayoutServerLoad } from './$types';

export const load: LayoutServerLoad = async ({ locals, depends }) => {
  depends('unisor:catalog');
  const person = locals.person.name;
  try {
    return { places: await listPlaces(), person };
  } catch (error) {
    // The page itself says what is wrong; the bar stays.
    log.warn({ err: error }, 'the places could not be listed');
    return { places: [], person };
  }
};

async function listPlaces() {
  const db = await readyDatabase();
  const [forms, tables] = [await listForms(db), await loadTables(db)];
  return [
    ...forms.flatMap(({ key, title, edition }) => [
      ...(edition > 0 ? [{ label: title, kind: 'fill in', href: `/forms/${key}` }] : []),
      { label: title, kind: 'design', href: `/forms/${key}/design` },
    ]),
    ...[...tables.values()].flatMap(({ key, title }) => [
      { label: title, kind: 'table', href: `/tables/${key}` },
      { label: `Draft a form on ${title}`, kind: 'new form', href: `/tables/${key}?draft` },
    ]),
  ];
}
