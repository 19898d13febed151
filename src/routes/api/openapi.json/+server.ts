import { openApi } from '$lib/core/formats/openapi';
import { askerAt } from '$lib/server/access/let-in';
import { allOperations } from '$lib/server/access/operations';
import { listForms, loadEdition } from '$lib/server/catalog/forms';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import { version } from '../../../../package.json';

/** The API as OpenAPI 3.1: all routes, and each table and form that whoever asks may use. */
export const GET = answering(async (event) => {
  const { rights } = askerAt(event);
  const db = await readyDatabase();
  const house = await event.locals.house();
  const forms = (await listForms(db)).filter(
    ({ key, edition }) => edition > 0 && rights.form(key, 'fill'),
  );
  return openApi(
    { version, server: event.url.origin },
    allOperations(),
    [...house.values()].map((table) => ({
      table,
      adds: rights.table(table.key, 'add'),
      changes: rights.table(table.key, 'change'),
    })),
    await Promise.all(
      forms.map(({ key, edition }) =>
        loadEdition(db, key, edition).then(({ plan }) => ({ key, edition, plan })),
      ),
    ),
    house.whole,
  );
});
