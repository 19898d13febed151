import { welcomed } from '$lib/server/access/accounts';
import { forPage } from '$lib/server/page';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = ({ params }) =>
  forPage(async () => {
    const { name, shown } = await welcomed(await readyDatabase(), params.secret);
    return { name, shown, secret: params.secret };
  });
