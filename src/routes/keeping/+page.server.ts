import { forPage } from '$lib/server/page';
import { backupState, lastBackups } from '$lib/server/keeping/backups';
import { driftByForm, lyingAbout, tableSizes } from '$lib/server/keeping/figures';
import { serverSettings, unfit } from '$lib/server/keeping/fitness';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = ({ locals }) =>
  forPage(async () => {
    const db = await readyDatabase();
    const house = await locals.house();
    return {
      backups: await lastBackups(db, 10),
      state: await backupState(db),
      drift: await driftByForm(db, await locals.forms()),
      sizes: await tableSizes(db, house),
      lying: await lyingAbout(db),
      unfit: unfit(await serverSettings(db)),
    };
  });
