import { say } from '$lib/core/words/say';
import type { May } from '$lib/core/contract/people';
import { formActs, places, tableActs } from '$lib/core/access/role';
import type { CatalogForm } from '$lib/server/catalog/forms';
import type { Asker } from '$lib/server/access/sessions';
import type { House } from '$lib/core/table/definition';
import { backupWorry } from '$lib/server/keeping/backups';
import { log } from '$lib/server/log';
import { readyDatabase } from '$lib/server/start';
import type { LayoutServerLoad } from './$types';

const nothing: May = { places: [], tables: {}, forms: {} };

export const load: LayoutServerLoad = async ({ locals, depends, url }) => {
  depends('unisor:catalog');
  const { asker } = locals;
  const person = locals.person.name;
  const looksAs = asker?.looksAs ?? null;
  // Whoever is not known is told nothing of what else there is; a guest's page is one of those, whoever opens it.
  const bare = !asker || url.pathname.startsWith('/guest/');
  if (bare)
    return {
      places: [],
      optionLists: [],
      person: 'guest',
      may: nothing,
      looksAs: null,
      backups: null,
    };
  try {
    const db = await readyDatabase();
    const tables = await locals.house();
    const forms = await locals.forms();
    const optionLists = [...tables.lists.values()].map(({ key, title }) => ({ key, title }));
    const may = mayOf(asker, tables, forms);
    const keeps = may.places.includes('people');
    const backups = keeps ? await backupWorry(db) : null;
    const places = listPlaces(tables, forms, may);
    return { places, optionLists, person, may, looksAs, backups };
  } catch (error) {
    // The page itself says what is wrong; the bar stays.
    log.warn({ err: error }, 'the places could not be listed');
    return { places: [], optionLists: [], person, may: nothing, looksAs, backups: null };
  }
};

function mayOf({ rights }: Asker, tables: House, forms: readonly CatalogForm[]): May {
  return {
    places: places.filter((place) => rights.place(place)),
    tables: Object.fromEntries(
      [...tables.keys()].map((key) => [key, tableActs.filter((deed) => rights.table(key, deed))]),
    ),
    forms: Object.fromEntries(
      forms.map(({ key }) => [key, formActs.filter((deed) => rights.form(key, deed))]),
    ),
  };
}

function listPlaces(tables: House, forms: readonly CatalogForm[], may: May) {
  return [
    ...forms.flatMap(({ key, title, edition }) => [
      ...(edition > 0 && may.forms[key]?.includes('fill')
        ? [{ label: title, kind: say('fill in'), href: `/forms/${key}` }]
        : []),
      ...(may.forms[key]?.includes('design')
        ? [{ label: title, kind: say('design'), href: `/forms/${key}/design` }]
        : []),
    ]),
    ...[...tables.lists.values()].map(({ key, title }) => ({
      label: title,
      kind: say('list'),
      href: `/lists/${key}`,
    })),
    ...[...tables.values()].flatMap(({ key, title }) => [
      { label: title, kind: say('table'), href: `/tables/${key}` },
      ...(may.places.includes('forms')
        ? [
            {
              label: say(`Draft a form on ${title}`),
              kind: say('new form'),
              href: `/tables/${key}?draft`,
            },
          ]
        : []),
    ]),
  ];
}
