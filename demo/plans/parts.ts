import type { z } from 'zod';
import type { bringSchema, fieldSchema, planSchema } from '../../src/core/plan/schema';

export type PlanInput = z.input<typeof planSchema>;
type FieldInput = z.input<typeof fieldSchema>;
type ChoicesInput = Extract<NonNullable<FieldInput['choices']>, { kind: 'table' }>;

export function field(key: string, label: string, more: Partial<FieldInput> = {}): FieldInput {
  return { key, label, savesTo: null, ...more };
}

export function lookup(
  table: string,
  columns: string[],
  more: Partial<ChoicesInput> = {},
): ChoicesInput {
  return {
    kind: 'table',
    table,
    shown: columns,
    stores: { kind: 'link' },
    order: columns.slice(0, 1).map((path) => ({ path })),
    ...more,
  };
}

export function distinct(column: string, by: string[]): ChoicesInput {
  return lookup('accessory', [column], {
    stores: { kind: 'copy', column },
    distinct: true,
    narrowings: by.map(narrowedBy),
  });
}

export function narrowedBy(name: string): NonNullable<ChoicesInput['narrowings']>[number] {
  return { path: name, operator: 'equal', field: name };
}

/** A column shown as a line beside the lookup. */
export function shown(path: string): z.input<typeof bringSchema> {
  return { path };
}

/** How many copies of the chosen score are in the store: received and returned, less lent and lost; not shown. */
export function inStore(key: string, label: string): FieldInput {
  return field(key, label, {
    shows: 'nothing',
    rollup: {
      table: 'copy_movement',
      aggregate: 'sum',
      path: 'quantity',
      less: [{ path: 'kind', operator: 'one_of', values: ['lent', 'lost'] }],
      narrowings: [narrowedBy('score')],
    },
  });
}
