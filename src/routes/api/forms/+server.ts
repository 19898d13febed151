import { formRequest } from '$lib/core/contract/requests';
import { json } from '@sveltejs/kit';
import { fieldsOf } from '$lib/core/plan/scopes';
import { askerAt } from '$lib/server/access/let-in';
import { listForms, loadEdition, makeForm } from '$lib/server/catalog/forms';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

export const GET = answering(async ({ locals }) => {
  const { rights } = askerAt({ locals });
  const db = await readyDatabase();
  const published = (await listForms(db)).filter(
    ({ key, edition }) => edition > 0 && rights.anyForm(key),
  );
  return Promise.all(
    published.map(async ({ key, title, table, edition }) => {
      const { plan } = await loadEdition(db, key, edition);
      const fields = fieldsOf(plan).map(({ key, label, required }) => ({ key, label, required }));
      return { key, title, table, edition, fields };
    }),
  );
});

export const POST = answering(async ({ request, locals }) => {
  const wish = await readBody(request, formRequest);
  const form = await makeForm(await readyDatabase(), wish, locals.person.name);
  return json(form, { status: 201 });
});
