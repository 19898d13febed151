import { tableChoices } from './choices';
import type { Plan } from './schema';

/** The plan as a guest fills it in: each lookup shows, and is searched by, the columns meant for guests. */
export function planForGuests(plan: Plan): Plan {
  const sections = plan.sections.map((section) => ({
    ...section,
    fields: section.fields.map((field) => {
      const choices = tableChoices(field);
      if (!choices?.guests) return field;
      return { ...field, choices: { ...choices, shown: choices.guests } };
    }),
  }));
  return { ...plan, sections };
}
