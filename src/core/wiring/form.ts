import { heldType } from '../plan/held';
import { fieldsOf, tableChoices, type Field, type Plan } from '../plan/schema';
import type { Tables } from '../table/definition';
import type { ValueType } from '../values/types';

/** A field with all that filling needs to know of it. */
export interface WiredField {
  field: Field;
  type: ValueType;
  /** Keys of the fields that narrow its choices. */
  narrowedBy: string[];
  /** Keys of the fields whose choices it narrows. */
  narrows: string[];
}

/** A plan made ready for filling. */
export interface WiredForm {
  plan: Plan;
  fields: ReadonlyMap<string, WiredField>;
  /** All field keys, every narrowing field before what it narrows. */
  order: readonly string[];
  /** The first circle of narrowings, as field keys with the first one repeated; `null` where there is none. */
  cycle: readonly string[] | null;
}

/** Wires a plan over the tables as they are. Narrowings by unknown fields are left out (the checkup reports them). */
export function wireForm(plan: Plan, tables: Tables): WiredForm {
  const fields = new Map<string, WiredField>();
  for (const field of fieldsOf(plan)) {
    fields.set(field.key, {
      field,
      type: heldType(plan, field, tables),
      narrowedBy: [],
      narrows: [],
    });
  }
  for (const wired of fields.values()) {
    const sources = new Set(tableChoices(wired.field)?.narrowings.map((n) => n.field) ?? []);
    for (const source of sources) {
      const narrowing = fields.get(source);
      if (!narrowing) continue;
      wired.narrowedBy.push(source);
      narrowing.narrows.push(wired.field.key);
    }
  }
  const { order, cycle } = sortByNarrowing(fields);
  return { plan, fields, order, cycle };
}

/** Depth-first order, steady in form order; a circle is reported and its last edge ignored. */
function sortByNarrowing(
  fields: ReadonlyMap<string, WiredField>,
): Pick<WiredForm, 'order' | 'cycle'> {
  const order: string[] = [];
  const done = new Set<string>();
  let cycle: string[] | null = null;
  for (const start of fields.keys()) {
    if (done.has(start)) continue;
    // An explicit stack: a chain of a thousand fields must not exhaust the call stack.
    const path: { key: string; next: number }[] = [{ key: start, next: 0 }];
    const onPath = new Set([start]);
    for (let top = path.at(-1); top; top = path.at(-1)) {
      const source = fields.get(top.key)?.narrowedBy[top.next++];
      if (source === undefined) {
        path.pop();
        onPath.delete(top.key);
        done.add(top.key);
        order.push(top.key);
      } else if (onPath.has(source)) {
        const from = path.findIndex((step) => step.key === source);
        cycle ??= [
          source,
          ...path
            .slice(from + 1)
            .map((step) => step.key)
            .reverse(),
          source,
        ];
      } else if (!done.has(source)) {
        path.push({ key: source, next: 0 });
        onPath.add(source);
      }
    }
  }
  return { order, cycle };
}
