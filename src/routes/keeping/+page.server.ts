import { forPage } from '$lib/server/page';
import { backupState, lastBackups } from '$lib/server/keeping/backups';
import { grownOver, grownTables, noteSizes } from '$lib/server/keeping/growth';
import { slowReads } from '$lib/server/keeping/slow-reads';
import { driftByForm, lyingAbout } from '$lib/server/keeping/figures';
import { wordsStates } from '$lib/server/keeping/words';
import { tableFrom } from '$lib/server/catalog/tables';
import { serverSettings, unfit } from '$lib/server/keeping/fitness';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = ({ locals }) =>
  forPage(async () => {
    const db = await readyDatabase();
    const house = await locals.house();
    await noteSizes(db, house);
    return {
      backups: await lastBackups(db, 10),
      state: await backupState(db),
      drift: await driftByForm(db, await locals.forms()),
      sizes: await grownTables(db, house),
      grownOver,
      slow: await slowReads(db, await locals.forms()),
      lying: await lyingAbout(db),
      words: (await wordsStates(db, house)).map((state) => {
        const { title, columns } = tableFrom(house, state.table);
        const labels = columns.filter(({ key }) => state.columns.includes(key));
        return { ...state, title, columns: labels.map(({ label }) => label) };
      }),
      unfit: unfit(await serverSettings(db)),
    };
  });
