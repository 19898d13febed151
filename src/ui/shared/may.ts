import { page } from '$app/state';
import { mayAnswer, type May } from '$lib/core/contract/people';
import type { ActOnForm, Place, ActOnTable } from '$lib/core/access/role';

/**
 * What the person at the screen may do, so that nothing is offered that would be refused. The server asks again,
 * whatever stands here.
 */
function may(): May {
  const given = mayAnswer.safeParse(page.data.may);
  return given.success ? given.data : { places: [], tables: {}, forms: {} };
}

export function mayPlace(place: Place): boolean {
  return may().places.includes(place);
}

export function mayTable(table: string, deed: ActOnTable): boolean {
  return may().tables[table]?.includes(deed) ?? false;
}

export function mayForm(form: string, deed: ActOnForm): boolean {
  return may().forms[form]?.includes(deed) ?? false;
}
