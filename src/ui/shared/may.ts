import { page } from '$app/state';
import { mayAnswer, type May } from '$lib/core/contract/people';
import type { ActOnForm, Place, ActOnTable } from '$lib/core/access/role';

const nothing: May = {
  places: [],
  tables: { most: [], others: {} },
  forms: { most: [], others: {} },
};
/** What was read of a page is asked for by each line of a list. */
const read = new WeakMap<object, May>();

/**
 * What the person at the screen may do, so that nothing is offered that would be refused. The server asks again,
 * whatever stands here.
 */
function may(): May {
  const given: unknown = page.data.may;
  if (typeof given !== 'object' || given === null) return nothing;
  const known = read.get(given);
  if (known) return known;
  const parsed = mayAnswer.safeParse(given);
  const found = parsed.success ? parsed.data : nothing;
  read.set(given, found);
  return found;
}

export function mayPlace(place: Place): boolean {
  return may().places.includes(place);
}

export function mayTable(table: string, deed: ActOnTable): boolean {
  const { most, others } = may().tables;
  return (others[table] ?? most).includes(deed);
}

export function mayForm(form: string, deed: ActOnForm): boolean {
  const { most, others } = may().forms;
  return (others[form] ?? most).includes(deed);
}
