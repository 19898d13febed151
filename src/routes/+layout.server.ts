import type { May } from '$lib/core/contract/people';
import { mayOf } from '$lib/server/access/may';
import { backupWorry } from '$lib/server/keeping/backups';
import { log } from '$lib/server/log';
import { readyDatabase } from '$lib/server/start';
import type { LayoutServerLoad } from './$types';

const none = { most: [], others: {} };
const nothing: May = { places: [], tables: none, forms: none };

export const load: LayoutServerLoad = async ({ locals, depends, url }) => {
  depends('unisor:catalog');
  const { asker } = locals;
  const person = locals.person.name;
  const looksAs = asker?.looksAs ?? null;
  // Whoever is not known is told nothing of what else there is; a guest's page is one of those, whoever opens it.
  const bare = !asker || url.pathname.startsWith('/guest/');
  if (bare)
    return {
      known: false,
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
    return { known: true, optionLists, person, may, looksAs, backups };
  } catch (error) {
    // The page itself says what is wrong; the bar stays.
    log.warn({ err: error }, 'what somebody may do could not be told');
    return { known: true, optionLists: [], person, may: nothing, looksAs, backups: null };
  }
};
