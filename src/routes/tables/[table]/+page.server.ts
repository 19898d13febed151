import { slowBy } from '$lib/core/plan/slow-view';
import { tableFrom } from '$lib/server/catalog/tables';
import { isClustered } from '$lib/server/database/lock-rows';
import { sizesOf } from '$lib/server/database/sizes';
import { forPage } from '$lib/server/page';
import { largeFrom } from '$lib/server/records/searched';
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
    const slow = size < largeFrom || search !== '' ? null : slowBy(table, view);
    return {
      view,
      search,
      after,
      filterShown,
      ...looked,
      slow: slow && { ...slow, size, clustered: await isClustered(db) },
    };
  });
