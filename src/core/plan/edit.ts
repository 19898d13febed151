import { keyFrom } from '../table/definition';
import { type Field, type Plan, type Section } from './schema';
import { addressOf, placeOf, scopeOf } from './scopes';

/** Plan edits are pure: each takes a plan and gives another one; what does not change is shared. */

/** Changes properties of a field, named by its address: `fee`, or `lines.fee` in a grid. */
export function updateField(
  plan: Plan,
  address: string,
  change: Partial<Omit<Field, 'key'>>,
): Plan {
  const { scope, key } = placeOf(address);
  return mapSections(plan, (section) => {
    if (scopeOf(section) !== scope) return section;
    const fields = section.fields.map((f) => (f.key === key ? { ...f, ...change } : f));
    return { ...section, fields };
  });
}

/**
 * Adds a field to a scope: behind another one of it, or at the end of a section, the last one where none
 * is named.
 */
export function addField(
  plan: Plan,
  field: Field,
  place: { scope?: string; behind?: string; section?: string } = {},
): Plan {
  const { scope = '', behind: before = '' } = place;
  const holds = (section: Section) => scopeOf(section) === scope;
  const beside = sectionOf(plan, addressOf(scope, before));
  const named = plan.sections.findIndex((s) => s.key === place.section && holds(s));
  const at = [beside, named, plan.sections.findLastIndex(holds)].find((i) => i !== -1);
  return mapSections(plan, (s, i) => {
    if (i !== at) return s;
    const behind = s.fields.findIndex((f) => f.key === before);
    const index = behind === -1 ? s.fields.length : behind + 1;
    return { ...s, fields: [...s.fields.slice(0, index), field, ...s.fields.slice(index)] };
  });
}

/** Moves a field one line up (-1) or down (+1), across the borders of the sections of its scope. */
export function moveField(plan: Plan, address: string, by: -1 | 1): Plan {
  const { scope, key } = placeOf(address);
  const at = sectionOf(plan, address);
  const section = plan.sections[at];
  if (!section) return plan;
  const index = section.fields.findIndex((f) => f.key === key);
  const target = index + by;
  if (target >= 0 && target < section.fields.length) {
    const fields = [...section.fields];
    const [moved] = fields.splice(index, 1);
    if (!moved) return plan;
    fields.splice(target, 0, moved);
    return mapSections(plan, (s, i) => (i === at ? { ...s, fields } : s));
  }
  const moved = section.fields[index];
  const others = plan.sections.map((s, i) => ({ s, i })).filter(({ s }) => scopeOf(s) === scope);
  const to = others[others.findIndex(({ i }) => i === at) + by]?.i;
  if (!moved || to === undefined) return plan;
  return mapSections(plan, (s, i) => {
    if (i === at) return { ...s, fields: s.fields.filter((f) => f.key !== key) };
    if (i !== to) return s;
    return { ...s, fields: by === 1 ? [moved, ...s.fields] : [...s.fields, moved] };
  });
}

/**
 * Puts fields of its scope into a section, in the given order; fields of it that are not named are left
 * where they are.
 */
export function arrangeFields(plan: Plan, sectionKey: string, keys: readonly string[]): Plan {
  const into = plan.sections.find((s) => s.key === sectionKey);
  if (!into) return plan;
  const scope = scopeOf(into);
  const beside = plan.sections.filter((s) => scopeOf(s) === scope);
  const all = new Map(beside.flatMap((s) => s.fields).map((field) => [field.key, field]));
  const moved = new Set(keys);
  return mapSections(plan, (s) => {
    if (scopeOf(s) !== scope) return s;
    const stays = s.fields.filter((f) => !moved.has(f.key));
    const named = s === into ? keys.flatMap((key) => all.get(key) ?? []) : [];
    return { ...s, fields: [...named, ...stays] };
  });
}

/** Adds an empty section at the end. */
export function addSection(plan: Plan, title: string): Plan {
  const key = keyFrom(
    title,
    plan.sections.map((s) => s.key),
  );
  return {
    ...plan,
    sections: [...plan.sections, { key, title, columns: 2, fields: [], grid: null, page: null }],
  };
}

/** Moves a section one place up (-1) or down (+1). */
export function moveSection(plan: Plan, key: string, by: -1 | 1): Plan {
  const at = plan.sections.findIndex((s) => s.key === key);
  const [section, other] = [plan.sections[at], plan.sections[at + by]];
  if (!section || !other) return plan;
  const sections = [...plan.sections];
  sections.splice(at, 1);
  sections.splice(at + by, 0, section);
  return { ...plan, sections };
}

/** Changes the title, the columns or the page of a section, or the lines or questions that it holds. */
export function updateSection(
  plan: Plan,
  key: string,
  change: Partial<Pick<Section, 'title' | 'folded' | 'columns' | 'page' | 'grid' | 'questions'>>,
): Plan {
  return mapSections(plan, (s) => (s.key === key ? { ...s, ...change } : s));
}

/**
 * Takes a section out; its fields go to the one before (or after, for the first). The last section of
 * the form itself stays; a grid goes with its fields.
 */
export function removeSection(plan: Plan, key: string): Plan {
  const at = plan.sections.findIndex((s) => s.key === key);
  const gone = plan.sections[at];
  if (!gone) return plan;
  if (gone.grid) {
    // What stands in its lines goes with them.
    return { ...plan, sections: plan.sections.filter((s) => s !== gone && s.grid?.within !== key) };
  }
  const before = plan.sections.findLastIndex((s, i) => i < at && s.grid === null);
  const heir =
    before !== -1 ? before : plan.sections.findIndex((s, i) => i > at && s.grid === null);
  if (heir === -1) return plan;
  const sections = plan.sections.flatMap((s, i) => {
    if (i === at) return [];
    if (i !== heir) return [s];
    return [
      { ...s, fields: heir > at ? [...gone.fields, ...s.fields] : [...s.fields, ...gone.fields] },
    ];
  });
  return { ...plan, sections };
}

function mapSections(plan: Plan, map: (section: Section, index: number) => Section): Plan {
  return { ...plan, sections: plan.sections.map(map) };
}

/** The place of the section that holds a field, named by its address; -1 where none does. */
function sectionOf(plan: Plan, address: string): number {
  const { scope, key } = placeOf(address);
  return plan.sections.findIndex(
    (s) => scopeOf(s) === scope && s.fields.some((f) => f.key === key),
  );
}
