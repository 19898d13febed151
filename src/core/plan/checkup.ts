import { problem, type Details, type Problem, type ProblemCode } from '../problems';
import { columnOf, type Table, type Tables } from '../table/definition';
import { pathLabel, resolvePath } from '../table/paths';
import { checkValue } from '../values/parse';
import { comparable, typePhrase, type ValueType } from '../values/types';
import { addFieldForColumn } from './draft';
import { updateField } from './edit';
import { heldType, storedType } from './held';
import { fieldsOf, type Field, type Plan, type TableChoices } from './schema';

/** One thing found in a plan. A problem stops publishing; a hint does not. */
export interface Finding {
  level: 'problem' | 'hint';
  /** The field it concerns; `null` for the whole plan. */
  field: string | null;
  problem: Problem;
  /** What would mend it. */
  fix?: { label: string; apply: (plan: Plan) => Plan };
}

type Note = (
  level: Finding['level'],
  code: ProblemCode,
  details: Details,
  fix?: Finding['fix'],
) => void;

/** Examines a plan against the tables as they are; problems first. */
export function checkup(plan: Plan, tables: Tables): Finding[] {
  const target = tables.get(plan.table);
  if (!target) {
    const missing = problem('unknown_table', { table: plan.table });
    return [{ level: 'problem', field: null, problem: missing }];
  }
  const findings: Finding[] = [];
  const noteFor =
    (field: Field | null): Note =>
    (level, code, details, fix) => {
      const label = field?.label ?? '';
      const found = problem(code, { label, ...details }, field?.key ?? '');
      findings.push({ level, field: field?.key ?? null, problem: found, fix });
    };
  const fields = fieldsOf(plan);
  for (const field of fields) {
    const note = noteFor(field);
    checkTarget(plan, field, target, tables, note);
    if (field.choices?.kind === 'table') checkChoices(plan, field, field.choices, tables, note);
    checkInitial(plan, field, tables, note);
  }
  checkAcross(plan, fields, target, tables, noteFor);
  return findings.sort((a, b) => rank(a) - rank(b));
}

/** The problems among the findings. */
export function problemsIn(findings: readonly Finding[]): Problem[] {
  return findings.filter((f) => f.level === 'problem').map((f) => f.problem);
}

function rank(finding: Finding): number {
  return finding.level === 'problem' ? 0 : 1;
}

function checkTarget(plan: Plan, field: Field, target: Table, tables: Tables, note: Note): void {
  if (field.savesTo === null) return;
  const column = columnOf(target, field.savesTo);
  if (!column || !target.columns.includes(column)) {
    note(
      'problem',
      'saves_to_missing',
      { column: field.savesTo, table: target.title },
      {
        label: 'Do not save it',
        apply: (p) => updateField(p, field.key, { savesTo: null }),
      },
    );
    return;
  }
  const stored = field.choices?.kind === 'table' ? storedType(field.choices, tables) : null;
  if (stored && !fits(stored, column.type)) {
    note('problem', 'saves_wrong_type', {
      held: typePhrase(stored),
      column: column.label,
      taken: typePhrase(column.type),
    });
  }
}

function checkChoices(
  plan: Plan,
  field: Field,
  choices: TableChoices,
  tables: Tables,
  note: Note,
): void {
  const source = tables.get(choices.table);
  if (!source) return note('problem', 'choices_table_missing', { table: choices.table });
  const copied = choices.stores.kind === 'copy' ? [choices.stores.column] : [];
  const paths = [
    ...choices.shown,
    ...copied,
    ...choices.order.map((o) => o.path),
    ...choices.conditions.map((c) => c.path),
    ...choices.narrowings.map((n) => n.path),
  ];
  for (const path of new Set(paths)) {
    if (!resolvePath(tables, source, path)) {
      note('problem', 'choices_path_missing', { table: source.title, column: path });
    }
  }
  if (choices.distinct && choices.stores.kind === 'link') {
    note('problem', 'distinct_needs_copy', {});
  }
  if (choices.shown.length === 0 && !choices.distinct) {
    note('hint', 'choices_nothing_shown', { table: source.title });
  }
  if (choices.order.length === 0 && !choices.distinct) note('hint', 'no_order', {});
  for (const narrowing of choices.narrowings) {
    const by = fieldsOf(plan).find((f) => f.key === narrowing.field);
    const resolved = resolvePath(tables, source, narrowing.path);
    if (!by) note('problem', 'narrowing_field_missing', { field: narrowing.field });
    else if (resolved && !comparable(resolved.column.type, heldType(plan, by, tables))) {
      note('problem', 'narrowing_types', {
        column: pathLabel(tables, source, narrowing.path),
        field: by.label,
      });
    }
  }
}

function checkInitial(plan: Plan, field: Field, tables: Tables, note: Note): void {
  if (field.initial === null) return;
  const removed = {
    label: 'Remove the default',
    apply: (p: Plan) => updateField(p, field.key, { initial: null }),
  };
  const checked = checkValue(heldType(plan, field, tables), field.initial, field.label);
  if ('problem' in checked) {
    note('problem', 'default_wrong_type', { reason: checked.problem.message }, removed);
  } else if (
    field.choices?.kind === 'values' &&
    !field.choices.values.some((option) => option.value === field.initial)
  ) {
    note('problem', 'default_not_offered', { given: String(field.initial) }, removed);
  }
}

function checkAcross(
  plan: Plan,
  fields: Field[],
  target: Table,
  tables: Tables,
  noteFor: (field: Field | null) => Note,
): void {
  const byKey = new Map<string, Field>();
  const byLabel = new Map<string, Field>();
  const byColumn = new Map<string, Field>();
  const read = new Set(
    fields.flatMap((f) =>
      f.choices?.kind === 'table' ? f.choices.narrowings.map((n) => n.field) : [],
    ),
  );
  for (const field of fields) {
    const note = noteFor(field);
    const label = field.label.toLowerCase();
    if (byKey.has(field.key)) note('problem', 'field_twice', { field: field.key });
    else if (byLabel.has(label)) note('hint', 'label_twice', { label: field.label });
    byKey.set(field.key, field);
    byLabel.set(label, field);
    if (field.savesTo === null) {
      if (!read.has(field.key)) note('hint', 'nothing_reads', {});
      continue;
    }
    const other = byColumn.get(field.savesTo);
    if (other) note('problem', 'saves_twice', { other: other.label, column: field.savesTo });
    byColumn.set(field.savesTo, field);
  }
  for (const column of target.columns) {
    if (!column.required || byColumn.has(column.key)) continue;
    noteFor(null)(
      'problem',
      'required_unwritten',
      { column: column.label, table: target.title },
      { label: 'Add the field', apply: (p) => addFieldForColumn(p, column.key, tables) },
    );
  }
}

/** Whether what choices store can be written into a column. */
function fits(stored: ValueType, taken: ValueType): boolean {
  if (!comparable(stored, taken)) return false;
  return !(taken.kind === 'whole' && stored.kind === 'decimal');
}
