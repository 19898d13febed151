import { json } from '@sveltejs/kit';
import { z } from 'zod';
import { planSchema } from '$lib/core/plan/schema';
import { fieldsOf } from '$lib/core/plan/scopes';
import { keySchema } from '$lib/core/values/key';
import { askerAt } from '$lib/server/access/let-in';
import { listForms, loadEdition, makeForm } from '$lib/server/catalog/forms';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

const makeSchema = z.strictObject({
  table: keySchema,
  title: z.string().trim().min(1).max(200).optional(),
  key: keySchema.optional(),
  plan: planSchema.optional(),
});

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
  const wish = await readBody(request, makeSchema);
  const form = await makeForm(await readyDatabase(), wish, locals.person.name);
  return json(form, { status: 201 });
});
