import { keyFrom } from '../table/definition';
import {
  fieldsOf,
  tableChoices,
  type Field,
  type Narrowing,
  type Plan,
  type Section,
} from './schema';

/** Plan edits are pure: each takes a plan and gives another one; what does not change is shared. */

/** Changes properties of a field. */
export function updateField(plan: Plan, key: string, change: Partial<Omit<Field, 'key'>>): Plan {
  return mapFields(plan, (field) => (field.key === key ? { ...field, ...change } : field));
}

/** Adds a field at the end of a section (the last one, where none is named), or behind another field. */
export function addField(plan: Plan, field: Field, place: { behind?: string } = {}): Plan {
  const section = plan.sections.findIndex((s) => s.fields.some((f) => f.key === place.behind));
  const at = section === -1 ? plan.sections.length - 1 : section;
  return mapSections(plan, (s, i) => {
    if (i !== at) return s;
    const behind = s.fields.findIndex((f) => f.key === place.behind);
    const index = behind === -1 ? s.fields.length : behind + 1;
    return { ...s, fields: [...s.fields.slice(0, index), field, ...s.fields.slice(index)] };
  });
}

/** Takes a field out, with the narrowings that compare with it and the brings that need it. */
export function removeField(plan: Plan, key: string): Plan {
  const without = mapSections(plan, (s) => ({
    ...s,
    fields: s.fields.filter((f) => f.key !== key),
  }));
  const narrowed = mapNarrowings(without, (n) => (n.field === key ? null : n));
  const unbrought = mapFields(narrowed, (field) => {
    const brings = field.brings.filter((bring) => bring.into !== key && bring.by !== key);
    return brings.length === field.brings.length ? field : { ...field, brings };
  });
  return { ...unbrought, startsAt: plan.startsAt === key ? null : plan.startsAt };
}

/** Moves a field one line up (-1) or down (+1), across the borders of sections. */
export function moveField(plan: Plan, key: string, by: -1 | 1): Plan {
  const at = plan.sections.findIndex((s) => s.fields.some((f) => f.key === key));
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
  if (!moved || !plan.sections[at + by]) return plan;
  return mapSections(plan, (s, i) => {
    if (i === at) return { ...s, fields: s.fields.filter((f) => f.key !== key) };
    if (i !== at + by) return s;
    return { ...s, fields: by === 1 ? [moved, ...s.fields] : [...s.fields, moved] };
  });
}

/** Puts the fields into the given order, section by section; fields that are not named are left where they are. */
export function arrangeFields(plan: Plan, sectionKey: string, keys: readonly string[]): Plan {
  const all = new Map(fieldsOf(plan).map((field) => [field.key, field]));
  const moved = new Set(keys);
  return mapSections(plan, (s) => {
    if (s.key !== sectionKey) return { ...s, fields: s.fields.filter((f) => !moved.has(f.key)) };
    const stays = s.fields.filter((f) => !moved.has(f.key));
    const named = keys.flatMap((key) => all.get(key) ?? []);
    return { ...s, fields: [...named, ...stays] };
  });
}

/** Copies a field behind itself; the copy is not saved, since two fields cannot write one column. */
export function copyField(plan: Plan, key: string): { plan: Plan; copy: string } {
  const fields = fieldsOf(plan);
  const field = fields.find((f) => f.key === key);
  if (!field) return { plan, copy: key };
  const copy = keyFrom(
    field.label,
    fields.map((f) => f.key),
  );
  const label = `${field.label} (copy)`;
  return {
    plan: addField(plan, { ...field, key: copy, label, savesTo: null }, { behind: key }),
    copy,
  };
}

/** Adds an empty section at the end. */
export function addSection(plan: Plan, title: string): Plan {
  const key = keyFrom(
    title,
    plan.sections.map((s) => s.key),
  );
  return {
    ...plan,
    sections: [...plan.sections, { key, title, columns: 2, fields: [], grid: null }],
  };
}

/** Changes the title or the columns of a section. */
export function updateSection(
  plan: Plan,
  key: string,
  change: Partial<Pick<Section, 'title' | 'columns'>>,
): Plan {
  return mapSections(plan, (s) => (s.key === key ? { ...s, ...change } : s));
}

/** Takes a section out; its fields go to the one before (or after, for the first). The last section stays. */
export function removeSection(plan: Plan, key: string): Plan {
  const at = plan.sections.findIndex((s) => s.key === key);
  const gone = plan.sections[at];
  if (!gone || plan.sections.length === 1) return plan;
  const heir = at === 0 ? 1 : at - 1;
  const sections = plan.sections.flatMap((s, i) => {
    if (i === at) return [];
    if (i !== heir) return [s];
    return [
      { ...s, fields: at === 0 ? [...gone.fields, ...s.fields] : [...s.fields, ...gone.fields] },
    ];
  });
  return { ...plan, sections };
}

function mapSections(plan: Plan, map: (section: Section, index: number) => Section): Plan {
  return { ...plan, sections: plan.sections.map(map) };
}

function mapFields(plan: Plan, map: (field: Field) => Field): Plan {
  return mapSections(plan, (section) => ({ ...section, fields: section.fields.map(map) }));
}

function mapNarrowings(plan: Plan, map: (narrowing: Narrowing) => Narrowing | null): Plan {
  return mapFields(plan, (field) => {
    const choices = tableChoices(field);
    const mapped = <T extends { narrowings: Narrowing[] }>(source: T): T => {
      return { ...source, narrowings: source.narrowings.flatMap((n) => map(n) ?? []) };
    };
    if (choices) return { ...field, choices: mapped(choices) };
    return field.rollup ? { ...field, rollup: mapped(field.rollup) } : field;
  });
}
