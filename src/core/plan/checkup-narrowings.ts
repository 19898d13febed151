import { say } from '../words/say';
import type { Table, House } from '../table/definition';
import { pathLabel, reachablePaths, resolvePath } from '../table/paths';
import { comparable, type ValueType } from '../values/types';
import { updateField } from './edit';
import type { Examined, Note } from './finding';
import { heldTypeIn } from './held';
import { type Field } from './schema';
import { addressOf, namedPlace, scopesOf, type PlanScope } from './scopes';
import { tableChoices, type Narrowing } from './choices';

/** Finds narrowings whose field is gone, or whose field and column cannot be compared. */
export function checkNarrowings(
  examined: Examined,
  narrowed: Field,
  source: Table,
  note: Note,
): void {
  const { tables, known, scope } = examined;
  const narrowings = narrowed.rollup?.narrowings ?? tableChoices(narrowed)?.narrowings ?? [];
  for (const narrowing of narrowings) {
    const { field, path } = narrowing;
    checkSpeed(narrowing, source, tables, known.sizes ?? new Map(), note);
    const { around, by } = namedField(examined, field);
    const resolved = resolvePath(tables, source, path);
    if (!by) note('problem', 'narrowing_field_missing', { field });
    else if (resolved && !comparable(resolved.column.type, heldTypeIn(around, by, tables))) {
      const column = pathLabel(tables, source, path);
      const fitting = fittingPath(tables, source, by, heldTypeIn(around, by, tables));
      const details = { column, field: by.label, fitting: fitting?.label ?? '' };
      const address = addressOf(scope.key, narrowed.key);
      note(
        'problem',
        'narrowing_types',
        details,
        fitting && {
          label: say(`Use ${fitting.label}`),
          apply: (plan) => updateField(plan, address, comparing(narrowed, narrowing, fitting.path)),
        },
      );
    }
  }
}

/** The nearest column that can be compared with a field, one of its own name first; none where nothing fits. */
function fittingPath(tables: House, source: Table, by: Field, type: ValueType) {
  const fitting = reachablePaths(tables, source, 3).filter(
    ({ column }) => comparable(column.type, type) && column.type.kind === type.kind,
  );
  const near = (path: string) => path.split('.').length;
  fitting.sort((a, b) => near(a.path) - near(b.path));
  const label = by.label.toLowerCase();
  return fitting.find((one) => one.column.label.toLowerCase() === label) ?? fitting[0];
}

/** A field with another column in one of its narrowings. */
function comparing(field: Field, narrowing: Narrowing, path: string): Partial<Field> {
  const put = (list: readonly Narrowing[]) =>
    list.map((one) => (one === narrowing ? { ...one, path } : one));
  const { rollup, choices } = field;
  if (rollup) return { rollup: { ...rollup, narrowings: put(rollup.narrowings) } };
  return choices?.kind === 'table'
    ? { choices: { ...choices, narrowings: put(choices.narrowings) } }
    : {};
}

/** From so many records on, a list that cannot be found through an index is felt. */
const large = 10_000;

/** Finds narrowings for which every record of a large table has to be read. */
function checkSpeed(
  { path, operator }: Narrowing,
  source: Table,
  tables: House,
  sizes: ReadonlyMap<string, number>,
  note: Note,
): void {
  const resolved = resolvePath(tables, source, path);
  const count = sizes.get(source.key) ?? 0;
  if (!resolved || count < large) return;
  const { column, steps } = resolved;
  const details = { column: pathLabel(tables, source, path), table: source.title, count };
  if (steps.length > 0 || operator === 'contains' || operator === 'not_equal') {
    return note('hint', 'narrowing_slow', details);
  }
  const found =
    column.unique ||
    column.type.kind === 'reference' ||
    source.indexes.some(({ kind, columns }) => kind === 'order' && columns[0] === column.key);
  if (!found) note('hint', 'narrowing_unindexed', details);
}

/** Finds lists that wait for a field which nobody can ever fill. */
export function checkReach(examined: Examined, field: Field, note: Note): void {
  const narrowings = tableChoices(field)?.narrowings ?? [];
  for (const { field: name, whileEmpty } of narrowings) {
    const { around, by } = namedField(examined, name);
    if (by && whileEmpty === 'nothing' && isNeverFilled(by, around.fields)) {
      note('problem', 'never_filled', { by: by.label });
    }
  }
}

/** The field that a narrowing names, and the scope in which it stands. */
export function namedField(
  { plan, scope }: Examined,
  name: string,
): { around: PlanScope; by?: Field } {
  const scopes = new Map(scopesOf(plan).map((one) => [one.key, one]));
  const place = namedPlace(scopes, scope.key, name);
  if (!place) return { around: scope };
  return { around: place.scope, by: place.scope.fields.find((f) => f.key === place.key) };
}

/** Whether no person sees a field and nothing else gives it a value. */
function isNeverFilled(field: Field, others: readonly Field[]): boolean {
  const given =
    field.computes ??
    field.rollup ??
    field.outside ??
    field.initially ??
    field.initial ??
    field.savesTo;
  const brought = others.some((other) => other.brings.some((b) => b.into === field.key));
  const unseen = field.shows === 'nothing' || field.shownWhen?.trim() === 'false';
  return unseen && given === null && !brought;
}
