import { keyFrom, type House } from '../table/definition';
import { heldTypeIn } from './held';
import { renameField } from './rename';
import { type Field, type Plan, type Section } from './schema';
import { scopeOf, scopesOf } from './scopes';

/**
 * Copies fields of one scope behind the last of them. Their wiring goes along: a copy follows the
 * copies of what the original follows. Copies are not saved, since two fields cannot write one column.
 */
export function copyFields(
  plan: Plan,
  tables: House,
  scope: string,
  keys: readonly string[],
): { plan: Plan; copies: string[] } {
  const { copies, fields } = copiesOf(plan, tables, scope, keys);
  const last = keys.at(-1);
  const sections = plan.sections.map((section) => {
    const at = scopeOf(section) === scope ? section.fields.findIndex((f) => f.key === last) : -1;
    if (at === -1) return section;
    const before = section.fields.slice(0, at + 1);
    return { ...section, fields: [...before, ...fields, ...section.fields.slice(at + 1)] };
  });
  return { plan: { ...plan, sections }, copies };
}

/** Copies a section with all its fields and their wiring behind itself. A grid cannot be copied. */
export function copySection(plan: Plan, tables: House, key: string): Plan {
  const at = plan.sections.findIndex((s) => s.key === key);
  const section = plan.sections[at];
  if (!section || section.grid) return plan;
  const { fields } = copiesOf(
    plan,
    tables,
    '',
    section.fields.map((f) => f.key),
  );
  const title = `${section.title || 'Section'} (copy)`;
  const copy: Section = {
    ...section,
    key: keyFrom(
      title,
      plan.sections.map((s) => s.key),
    ),
    title,
    fields,
    page: null,
  };
  return {
    ...plan,
    sections: [...plan.sections.slice(0, at + 1), copy, ...plan.sections.slice(at + 1)],
  };
}

/** The copies: the fields as they would be in a plan in which each of them had another key. */
function copiesOf(
  plan: Plan,
  tables: House,
  scope: string,
  keys: readonly string[],
): { copies: string[]; fields: Field[] } {
  const fieldsIn = (of: Plan) => scopesOf(of).find((s) => s.key === scope)?.fields ?? [];
  const taken = [...fieldsIn(plan).map((f) => f.key), ...plan.sections.map((s) => s.key)];
  const copies: string[] = [];
  const renamed = keys.reduce((now, key) => {
    const copy = keyFrom(key, taken);
    taken.push(copy);
    copies.push(copy);
    return renameField(now, tables, key, copy, scope);
  }, plan);
  const within = scopesOf(renamed).find((s) => s.key === scope);
  const fields = copies.flatMap((copy) => {
    const field = fieldsIn(renamed).find((f) => f.key === copy);
    if (!field) return [];
    // What is brought into a field that was not copied would be brought twice.
    const brings = field.brings.filter((b) => b.into === null || copies.includes(b.into));
    // What its column told it to hold, it has to say itself now.
    const holds = within && !field.choices ? heldTypeIn(within, field, tables) : field.holds;
    return [{ ...field, label: `${field.label} (copy)`, savesTo: null, holds, brings }];
  });
  return { copies, fields };
}
