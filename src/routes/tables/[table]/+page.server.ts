import { largeFrom } from '$lib/core/plan/indexes';
import { slowBy } from '$lib/core/plan/slow-view';
import { tableFrom } from '$lib/server/catalog/tables';
import { isClustered } from '$lib/server/database/lock-rows';
import { sizesOf } from '$lib/server/database/sizes';
import { wordsFor } from '$lib/server/keeping/words';
import { forPage } from '$lib/server/page';
import { shownConditions } from '$lib/server/records/shown-conditions';
import { lookAt, openFrom, viewFrom } from '$lib/server/records/viewed';
import type { PageServerLoad } from './$types';

const pageSize = 50;

export const load: PageServerLoad = ({ params, url, depends, locals }) =>
  forPage(async () => {
    depends('unisor:records');
    const db = await locals.reads();
    const tables = await locals.house();
    const table = tableFrom(tables, params.table);
    const view = viewFrom(url, table);
    const search = url.searchParams.get('search')?.slice(0, 200) ?? '';
    const after = url.searchParams.get('after') ?? undefined;
    const open = openFrom(url);
    const looked = await lookAt(db, tables, table, { view, search, after, open, limit: pageSize });
    const filterShown = await shownConditions(db, tables, table, view.filter);
    const size = (await sizesOf(db)).get(table.key) ?? 0;
    // A search looks through what is narrowed part by part; only an order has to have all of it.
    const slow = size < largeFrom ? null : slowBy(table, search ? { ...view, filter: [] } : view);
    return {
      view,
      search,
      after,
      filterShown,
      ...looked,
      slow: slow && { ...slow, size, clustered: await isClustered(db) },
      words: search && size >= largeFrom ? { ...(await wordsFor(db, tables, table)), size } : null,
    };
  });
