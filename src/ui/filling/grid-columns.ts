import type { Field, Section } from '$lib/core/plan/schema';
import type { WiredForm } from '$lib/core/wiring/form';
import type { DrawnColumn } from '$lib/ui/tables/view-words';

/** A column of a grid's table that one of its fields fills, as far as a picture needs to know it. */
export interface GridColumnDrawn extends DrawnColumn {
  field: string;
}

/** The columns of its table that a grid shows, by the fields that fill them. */
export function columnsDrawn(
  form: WiredForm,
  section: Section,
  fields: readonly Field[],
): GridColumnDrawn[] {
  return fields.flatMap(({ key: field, label, savesTo }) => {
    const wired = form.scopes.get(section.key)?.fields.get(field);
    return savesTo !== null && wired ? [{ key: savesTo, label, type: wired.type, field }] : [];
  });
}
