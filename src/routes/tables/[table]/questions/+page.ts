import { formulasReady } from '$lib/ui/shared/formulas';
import type { PageLoad } from './$types';

export const load: PageLoad = async ({ data }) => {
  if (data.sheet) await formulasReady(data.sheet.plan, data.sheet.formulas);
  return data;
};
