import { formulasReady } from '$lib/ui/shared/formulas';
import type { PageLoad } from './$types';

export const load: PageLoad = async ({ data }) => {
  await formulasReady(data.plan, null);
  return data;
};
