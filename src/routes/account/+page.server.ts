import { accountAt } from '$lib/server/access/accounts';
import { askerAt } from '$lib/server/access/let-in';
import { listPasskeys } from '$lib/server/access/passkeys';
import { readRoles } from '$lib/server/access/roles';
import { listSessions } from '$lib/server/access/sessions';
import { listTokens } from '$lib/server/access/tokens';
import { forPage } from '$lib/server/page';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = (event) =>
  forPage(async () => {
    const { owner, session, rights, person } = askerAt(event);
    const db = await readyDatabase();
    const roles = await readRoles(db, db.knex);
    const own = rights.keeps ? [...roles.keys()] : person.roles;
    const titleOf = (key: string) => roles.get(key)?.title ?? key;
    return {
      account: await accountAt(db, owner),
      sessions: (await listSessions(db, owner)).map((line) => ({
        ...line,
        here: line.id === session,
      })),
      passkeys: await listPasskeys(db, owner),
      tokens: (await listTokens(db, owner)).map((line) => ({ ...line, role: titleOf(line.role) })),
      roles: own.map((key) => ({ key, title: titleOf(key) })),
      named: person.roles.map(titleOf),
    };
  });
