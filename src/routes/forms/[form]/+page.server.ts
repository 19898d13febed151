import { z } from 'zod';
import { formulasRead } from '$lib/core/plan/formula-sites';
import { reachedBy } from '$lib/core/plan/reach';
import { publishedForms } from '$lib/server/catalog/forms';
import { tableFrom } from '$lib/server/catalog/tables';
import { factsFor } from '$lib/server/access/house';
import { askerAt, requireForm } from '$lib/server/access/let-in';
import { forPage } from '$lib/server/page';
import { readEntryDraft } from '$lib/server/records/entry-drafts';
import { openForForm } from '$lib/server/records/open-form';
import { shownRecord } from '$lib/server/records/read';
import { carriedColumns, carriedText, parsed, recordId } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

const editionSchema = z.coerce.number().int().min(1).optional();

export const load: PageServerLoad = ({ params, url, locals }) =>
  forPage(async () => {
    const db = await readyDatabase();
    const named = url.searchParams;
    const id = named.get('record');
    const record = id === null ? undefined : recordId(id, params.form);
    const edition = parsed(editionSchema, named.get('edition') ?? undefined);
    const carry = carriedColumns(url);
    requireForm(locals, params.form, record === undefined ? 'fill' : 'open');
    const all = await locals.house();
    const held = await openForForm(db, params.form, { record, edition, carry }, all);
    const { form, plan, opened, carried } = held;
    const { name: person } = askerAt({ locals }).person;
    const carriedBy = opened ? '' : carriedText(url);
    const place = { person, form: form.key, record: opened?.stored.id ?? null, carried: carriedBy };
    const tables = reachedBy(held.asked, all.whole);
    const line = opened
      ? await shownRecord(db, db.knex, all, tableFrom(all.whole, plan.table), opened.stored.id)
      : null;
    return {
      form,
      person: await factsFor(db, all.whole, plan, askerAt({ locals }).person),
      named: line ?? '',
      plan,
      edition: held.edition,
      opened,
      carried,
      carriedBy,
      forms: await publishedForms(db),
      kept: await readEntryDraft(db, place),
      tables,
      sets: held.sets,
      formulas: formulasRead(held.asked, tables),
    };
  });
