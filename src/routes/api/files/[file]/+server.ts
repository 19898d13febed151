import { formsNaming } from '$lib/server/catalog/plan-uses';
import { handIn, signedInGiver } from '$lib/server/files/hand-in';
import { fileAnswer, fileFor, type FileUse } from '$lib/server/files/serve';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

const handing = answering(async ({ request, locals }: RequestEvent) =>
  handIn(await readyDatabase(), request, signedInGiver(locals.person.name)),
);
export const HEAD = handing;
export const PATCH = handing;
export const DELETE = handing;

/** A file, for those who see a column in which it stands, in its table or through a form. */
export const GET = answering(async ({ params, url, locals, request }: RequestEvent) => {
  const db = await readyDatabase();
  const house = await locals.house();
  const seesInTable = ({ table, column }: FileUse) =>
    house.get(table)?.columns.some(({ key }) => key === column) ?? false;
  const rights = locals.asker?.rights;
  const seesInForm = async ({ table }: FileUse) =>
    (await formsNaming(db, { kind: 'table', name: table })).some(
      ({ form }) => rights?.form(form.key, 'open') || rights?.form(form.key, 'fill'),
    );
  const known = await fileFor(db, params.file, locals.person.name, async (uses) => {
    if (uses.some(seesInTable)) return true;
    for (const use of uses) if (await seesInForm(use)) return true;
    return false;
  });
  return fileAnswer(db, known, url.searchParams.get('name'), request.headers);
});
