import { columnChangeRequest } from '$lib/core/contract/requests';
import { fail } from '$lib/core/problems';
import { askerAt } from '$lib/server/access/let-in';
import { liftOptions, ownOptions } from '$lib/server/catalog/lifted-options';
import {
  changeFiles,
  changeOptions,
  removeColumn,
  renameTableColumn,
} from '$lib/server/catalog/restructure';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const PATCH = answering(async ({ params, request, locals }: RequestEvent) => {
  const change = await readBody(request, columnChangeRequest);
  const db = await readyDatabase();
  const { name } = locals.person;
  const { table, column } = params;
  if ('key' in change) return renameTableColumn(db, table, column, change.key, name);
  if ('listed' in change) {
    const { listed } = change;
    if (listed !== null && !askerAt({ locals }).rights.place('lists')) fail('not_allowed', {}, 403);
    return listed === null
      ? ownOptions(db, table, column, name)
      : liftOptions(db, table, column, listed, name);
  }
  return 'files' in change
    ? changeFiles(db, table, column, change.files, name)
    : changeOptions(db, table, column, change.options, name);
});

export const DELETE = answering(async ({ params, locals }: RequestEvent) =>
  removeColumn(await readyDatabase(), params.table, params.column, locals.person.name),
);
