import { pressButton, pressSchema } from '$lib/server/records/press-button';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const POST = answering(async ({ params, request, locals }: RequestEvent) => {
  const press = await readBody(request, pressSchema);
  const db = await readyDatabase();
  const { form, button } = params;
  const { name } = locals.person;
  return { noted: await pressButton(db, await locals.house(), form, button, press, name) };
});
