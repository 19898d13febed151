import { limitedRoles } from '$lib/core/access/rights';
import { latestRoles } from '$lib/server/access/roles';
import { loadDraft } from '$lib/server/catalog/forms';
import { begunWith, designedIn } from '$lib/server/catalog/designed';
import { allFacts } from '$lib/server/access/house';
import { askerAt } from '$lib/server/access/let-in';
import { forPage } from '$lib/server/page';
import { countTables } from '$lib/server/records/count';
import { isClustered } from '$lib/server/database/lock-rows';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = ({ params, depends, locals }) =>
  forPage(async () => {
    depends('unisor:tables');
    const db = await readyDatabase();
    const { form, plan } = await loadDraft(db, params.form);
    const asker = askerAt({ locals });
    const seen = await locals.house();
    const tables = seen.whole;
    const all = await locals.forms();
    const house = await designedIn(db, tables, form.key, all);
    const published = all.filter(({ edition }) => edition > 0);
    const forms = published.map(({ key, title }) => ({ key, title }));
    const begun = begunWith(house, plan);
    const counted = [...begun.tables.keys()].filter((key) => seen.has(key));
    return {
      form,
      plan,
      person: await allFacts(db, tables, asker.person),
      ...begun,
      counts: [...(await countTables(db, seen, counted))],
      limited: [...limitedRoles((await latestRoles(db)).values(), form.key, [...tables.keys()])],
      clustered: await isClustered(db),
      forms,
    };
  });
