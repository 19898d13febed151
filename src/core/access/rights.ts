import {
  everyOther,
  formActs,
  keeperKey,
  type ActOnForm,
  type Place,
  type Role,
  type ActOnTable,
  type TableRight,
} from './role';

/** What one of a person's roles lets them see of a table. */
export type Seen = Pick<TableRight, 'hidden' | 'readOnly' | 'when'>;

/** One question: may this person do this to that? What none of their roles allows is refused. */
export class Rights {
  readonly #roles: readonly Role[];

  constructor(roles: readonly Role[]) {
    this.#roles = roles;
  }

  /** Whether they answer for the house. */
  get keeps(): boolean {
    return this.#roles.some(({ key }) => key === keeperKey);
  }

  /** May they do this to records of the table? */
  table(key: string, deed: ActOnTable): boolean {
    return this.#of(key).some(({ does }) => does.includes('see') && does.includes(deed));
  }

  /** May they do this with the form? */
  form(key: string, deed: ActOnForm): boolean {
    return this.#roles.some(({ forms }) => (forms[key] ?? forms[everyOther] ?? []).includes(deed));
  }

  /** May they do anything with the form? */
  anyForm(key: string): boolean {
    return formActs.some((deed) => this.form(key, deed));
  }

  /** May they do this at all? */
  place(place: Place): boolean {
    return this.#roles.some(({ places }) => places.includes(place));
  }

  /** What each role that shows the table shows of it; none where it is not seen. */
  seen(table: string): readonly Seen[] {
    return this.#of(table).filter(({ does }) => does.includes('see'));
  }

  /** Columns of a table that they cannot type into: hidden or read-only in every role that shows the table. */
  shut(table: string): ReadonlySet<string> {
    return common(this.seen(table).map(({ hidden, readOnly }) => [...hidden, ...readOnly]));
  }

  #of(table: string): TableRight[] {
    return this.#roles.flatMap(({ tables }) => tables[table] ?? tables[everyOther] ?? []);
  }
}

/** By table, the titles of the roles that fill in a form and do not see all of the table. */
export function limitedRoles(
  roles: Iterable<Role>,
  form: string,
  tables: readonly string[],
): Map<string, string[]> {
  const limited = new Map<string, string[]>();
  for (const role of roles) {
    const rights = new Rights([role]);
    if (role.key === keeperKey || !rights.form(form, 'fill')) continue;
    for (const table of tables) {
      const seen = rights.seen(table);
      const whole = seen.some(({ hidden, when }) => hidden.length === 0 && when === '');
      if (!whole) limited.set(table, [...(limited.get(table) ?? []), role.title]);
    }
  }
  return limited;
}

/** What stands in all of the lists. */
export function common(lists: readonly (readonly string[])[]): ReadonlySet<string> {
  const [first = [], ...others] = lists;
  return new Set(first.filter((key) => others.every((list) => list.includes(key))));
}
