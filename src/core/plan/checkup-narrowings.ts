import type { Table } from '../table/definition';
import { pathLabel, resolvePath } from '../table/paths';
import { comparable } from '../values/types';
import type { Examined, Note } from './checkup';
import { heldTypeIn } from './held';
import { rootScope, type Narrowing } from './schema';

/** Finds narrowings whose field is gone, or whose field and column cannot be compared. */
export function checkNarrowings(
  { plan, tables, scope }: Examined,
  narrowings: readonly Narrowing[],
  source: Table,
  note: Note,
): void {
  for (const { field, path } of narrowings) {
    const around = field.startsWith('parent.') ? rootScope(plan) : scope;
    const by = around.fields.find((f) => f.key === field.replace('parent.', ''));
    const resolved = resolvePath(tables, source, path);
    if (!by) note('problem', 'narrowing_field_missing', { field });
    else if (resolved && !comparable(resolved.column.type, heldTypeIn(around, by, tables))) {
      const column = pathLabel(tables, source, path);
      note('problem', 'narrowing_types', { column, field: by.label });
    }
  }
}
