import { listed, say } from '../words/say';
import { valueSource } from './source';
import { problem, type Problem } from '../problems';
import { columnOf, mustBeGiven, type Table, type House } from '../table/definition';
import { resolvePath } from '../table/paths';
import { checkValue } from '../values/parse';
import { comparable, typePhrase, type Option, type ValueType } from '../values/types';
import { danglingIn } from './checkup-names';
import { checkLinks, checkWrites } from './checkup-links';
import { checkNarrowings, checkReach } from './checkup-narrowings';
import { checkQuestions } from './checkup-questions';
import { checkOutside, checkThrough } from './checkup-outside';
import { addFieldForColumn } from './draft';
import { updateField } from './edit';
import type { Examined, Finding, Known, Note } from './finding';
import { heldTypeIn, storedType } from './held';
import { type Field, type Plan } from './schema';
import { addressOf, fieldOf, namedPlace, scopesOf, type PlanScope } from './scopes';
import type { TableChoices } from './choices';

/**
 * Examines a plan against the tables as they are; problems first. `read` names the fields that its
 * formulas read, as far as whoever asks has made them ready (see `examine` in wiring); `house` says
 * what is known besides.
 */
export function checkup(
  plan: Plan,
  tables: House,
  read: ReadonlySet<string> = new Set(),
  house: Known = {},
): Finding[] {
  const target = tables.get(plan.table);
  if (!target) {
    const missing = problem('unknown_table', { table: plan.table });
    return [{ level: 'problem', field: null, problem: missing }];
  }
  const findings: Finding[] = [];
  const noteFor =
    (field: Field | null, scope = ''): Note =>
    (level, code, details, fix) => {
      const label = field?.label ?? '';
      const at = field ? addressOf(scope, field.key) : null;
      const found = problem(code, { label, ...details }, at ?? '');
      findings.push({ level, field: at, problem: found, fix });
    };
  const known = new Set([...read, ...fieldsRead(plan)]);
  const examinedBy = (scope: PlanScope) => ({ plan, tables, scope, known: house });
  for (const scope of scopesOf(plan)) {
    const saved = tables.get(scope.table);
    if (!saved) {
      const details = { label: scope.title, table: scope.table };
      noteFor(null)('problem', 'grid_table_missing', details);
      continue;
    }
    for (const field of scope.fields) {
      const note = noteFor(field, scope.key);
      const examined = examinedBy(scope);
      checkTarget(scope.key, field, saved, tables, note);
      checkOptions(examined, field, note);
      checkOutside(examined, field, note);
      if (field.choices?.kind === 'table') {
        checkChoices(examined, field, field.choices, note);
        checkEveryone(examined, field.choices, note);
      }
      checkInitial(examined, field, note);
      checkLinks(examined, field, note);
      checkReach(examined, field, note);
    }
    checkAcross(examinedBy(scope), saved, known, noteFor);
  }
  checkThrough(plan, tables, noteFor);
  checkQuestions(plan, tables, noteFor(null));
  checkAfter(plan, noteFor(null));
  checkStart(plan, noteFor(null));
  checkWrites(plan, tables, noteFor(null));
  checkNames(plan, tables, findings);
  return sortedFindings(findings);
}

/** A list that offers everything, whoever fills the form in, and who sees more by that than by their role. */
function checkEveryone({ tables, known }: Examined, choices: TableChoices, note: Note): void {
  if (choices.everyone !== true) return;
  const roles = known.limited?.get(choices.table) ?? [];
  const table = tables.get(choices.table)?.title ?? choices.table;
  if (roles.length > 0) note('hint', 'offers_unseen', { table, roles: listed(roles) });
}

/** Where one goes after a save, and when the form takes records. */
function checkAfter({ after, takes, mails = [] }: Plan, note: Note): void {
  if (after?.next === 'form' && after.form === null) note('problem', 'after_no_form', {});
  const address = after?.next === 'address' ? after.address : null;
  if (address !== null && !/^(https?:\/\/[^\s]+|\/(?![/\\])[^\s]*)$/i.test(address)) {
    note('problem', 'after_nowhere', {});
  }
  for (const { to } of mails) if (to === '') note('problem', 'mail_to_nobody', {});
  const { from = null, until = null } = takes ?? {};
  if (from !== null && until !== null && from >= until) note('problem', 'takes_never', {});
}

/** What names something that is not there, and is not said more closely at its place already. */
function checkNames(plan: Plan, tables: House, findings: Finding[]): void {
  const isTold = (at: string | null, name: string) =>
    findings.some(
      ({ level, field, problem: found }) =>
        level === 'problem' && (at === null || field === at) && found.message.includes(name),
    );
  const labels = new Map(
    scopesOf(plan).flatMap(({ key, fields }) =>
      fields.map((field) => [addressOf(key, field.key), field.label] as const),
    ),
  );
  for (const { at, kind, name } of danglingIn(plan, tables)) {
    if (isTold(at, name)) continue;
    const details = { label: labels.get(at ?? '') ?? plan.title, kind, name };
    findings.push({
      level: 'problem',
      field: at,
      problem: problem('names_nothing', details, at ?? ''),
    });
  }
}

/** The findings with problems first. */
export function sortedFindings(findings: readonly Finding[]): Finding[] {
  const rank = (finding: Finding) => (finding.level === 'problem' ? 0 : 1);
  return [...findings].sort((a, b) => rank(a) - rank(b));
}

/** The problems among the findings. */
export function problemsIn(findings: readonly Finding[]): Problem[] {
  return findings.filter((f) => f.level === 'problem').map((f) => f.problem);
}

/** Choices from option lists; and values typed into the form that a list has already, or another field. */
function checkOptions({ plan, tables, scope }: Examined, field: Field, note: Note): void {
  const { choices } = field;
  const change = (to: Field['choices']) => (p: Plan) =>
    updateField(p, addressOf(scope.key, field.key), { choices: to });
  if (choices?.kind === 'options') {
    const list = tables.lists.get(choices.list);
    if (!list) return note('problem', 'list_missing', { label: field.label, list: choices.list });
    if (choices.by !== null && list.of === null) {
      const fix = { label: say('Offer all'), apply: change({ ...choices, by: null }) };
      note('problem', 'list_by_alone', { list: list.title }, fix);
    }
  }
  if (choices?.kind !== 'values' || choices.values.length < 2) return;
  const values = typedValuesKey(choices.values);
  const same = [...(tables.lists.values() ?? [])].find(
    (list) => typedValuesKey(list.values) === values,
  );
  if (same) {
    const taken = { kind: 'options' as const, list: same.key, by: null };
    const fix = { label: say('Take them from the list'), apply: change(taken) };
    return note('hint', 'values_in_list', { list: same.title }, fix);
  }
  const other = scopesOf(plan)
    .flatMap(({ fields }) => fields)
    .find(
      (f) =>
        f !== field && f.choices?.kind === 'values' && typedValuesKey(f.choices.values) === values,
    );
  const elsewhere = other ? other.label : tables.typed.get(values);
  if (elsewhere) note('hint', 'values_twice', { field: elsewhere });
}

/** The same text for the same values, in whatever order they were typed. */
export function typedValuesKey(options: readonly Option[]): string {
  return JSON.stringify(
    options
      .filter((o) => !o.retired)
      .map(({ value }) => value.toLowerCase())
      .sort(),
  );
}

function checkTarget(scope: string, field: Field, target: Table, tables: House, note: Note): void {
  if (field.savesTo === null) return;
  const column = columnOf(target, field.savesTo);
  if (!column || !target.columns.includes(column)) {
    note(
      'problem',
      'saves_to_missing',
      { column: field.savesTo, table: target.title },
      {
        label: say('Do not save it'),
        apply: (p) => updateField(p, addressOf(scope, field.key), { savesTo: null }),
      },
    );
    return;
  }
  const stored = field.choices?.kind === 'table' ? storedType(field.choices, tables) : null;
  if (stored && !fits(stored, column.type)) {
    note('problem', 'saves_wrong_type', {
      held: typePhrase(stored, tables),
      column: column.label,
      taken: typePhrase(column.type, tables),
    });
  }
}

function checkChoices(examined: Examined, field: Field, choices: TableChoices, note: Note): void {
  const { tables } = examined;
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
  checkNarrowings(examined, field, source, note);
  if (choices.typedBy === null) return;
  const typed = columnOf(source, choices.typedBy);
  const details = { table: source.title, column: typed?.label ?? choices.typedBy };
  if (!typed) note('problem', 'typed_by_missing', details);
  else if (!typed.unique) note('hint', 'typed_by_not_unique', details);
}

function checkInitial({ tables, scope }: Examined, field: Field, note: Note): void {
  if (field.initial === null) return;
  const removed = {
    label: say('Remove the default'),
    apply: (p: Plan) => updateField(p, addressOf(scope.key, field.key), { initial: null }),
  };
  const checked = checkValue(heldTypeIn(scope, field, tables), field.initial, field.label);
  if ('problem' in checked) {
    note('problem', 'default_wrong_type', { reason: checked.problem.message }, removed);
  } else if (typedOptions(field, tables)?.every((option) => option.value !== field.initial)) {
    note('problem', 'default_not_offered', { given: String(field.initial) }, removed);
  }
}

/** The options that are offered without asking anybody: typed into the form, or of an option list. */
function typedOptions({ choices }: Field, tables: House): readonly Option[] | undefined {
  if (choices?.kind === 'values') return choices.values;
  if (choices?.kind !== 'options') return undefined;
  return tables.lists.get(choices.list)?.values.filter(({ retired }) => !retired);
}

function checkAcross(
  { tables, scope }: Examined,
  target: Table,
  read: ReadonlySet<string>,
  noteFor: (field: Field | null, scope?: string) => Note,
): void {
  const { key: scopeKey, fields, through } = scope;
  const byKey = new Map<string, Field>();
  const byLabel = new Map<string, Field>();
  const byColumn = new Map<string, Field>();
  const brought = new Set(fields.flatMap((f) => f.brings.map((bring) => bring.into)));
  for (const field of fields) {
    const note = noteFor(field, scopeKey);
    const label = field.label.toLowerCase();
    if (byKey.has(field.key)) note('problem', 'field_twice', { field: field.key });
    else if (byLabel.has(label)) note('hint', 'label_twice', { label: field.label });
    byKey.set(field.key, field);
    byLabel.set(label, field);
    if (field.savesTo === null) {
      const told = tells(field) || (brought.has(field.key) && field.shows !== 'nothing');
      const passed = through?.columns[field.key] !== undefined;
      if (!read.has(addressOf(scopeKey, field.key)) && !told && !passed) {
        note('hint', 'nothing_reads', {});
      }
      continue;
    }
    const other = byColumn.get(field.savesTo);
    if (other) note('problem', 'saves_twice', { other: other.label, column: field.savesTo });
    byColumn.set(field.savesTo, field);
  }
  if (through) return;
  for (const column of target.columns) {
    if (!mustBeGiven(column) || byColumn.has(column.key) || column.key === scope.link) continue;
    noteFor(null)(
      'problem',
      'required_unwritten',
      { column: column.label, table: target.title },
      {
        label: say('Add the field'),
        apply: (p) => addFieldForColumn(p, scopeKey, column.key, tables),
      },
    );
  }
}

function checkStart(plan: Plan, note: Note): void {
  if (plan.startsAt === null || fieldOf(plan, plan.startsAt)) return;
  const fix = { label: say('Start in the first'), apply: (p: Plan) => ({ ...p, startsAt: null }) };
  note('problem', 'starts_at_missing', { field: plan.startsAt }, fix);
}

/** The addresses of the fields that narrowings, rollups and brings read. */
function fieldsRead(plan: Plan): string[] {
  const scopes = new Map(scopesOf(plan).map((scope) => [scope.key, scope]));
  return [...scopes.values()].flatMap(({ key: scope, fields }) =>
    fields
      .flatMap(({ choices, rollup, outside, brings }) => [
        ...(choices?.kind === 'table' ? choices.narrowings.map((n) => n.field) : []),
        ...(choices?.kind === 'options' && choices.by !== null ? [choices.by] : []),
        ...(choices?.kind === 'columns' ? [choices.of] : []),
        ...(rollup?.narrowings.map((n) => n.field) ?? []),
        ...[...(choices?.kind === 'outside' ? choices.given : []), ...(outside?.given ?? [])].map(
          (given) => given.field,
        ),
        ...brings.flatMap((bring) => bring.by ?? []),
      ])
      .map((name) => {
        const place = namedPlace(scopes, scope, name);
        return place ? addressOf(place.scope.key, place.key) : name;
      }),
  );
}

/** Whether a field that is not saved is there to be read by people, or to hold something to a rule. */
function tells(field: Field): boolean {
  if (field.checks.length > 0 || field.brings.length > 0) return true;
  if (field.shows === 'list') return true;
  return (field.computes !== null || valueSource(field) !== null) && field.shows !== 'nothing';
}

/** Whether what choices store can be written into a column. */
function fits(stored: ValueType, taken: ValueType): boolean {
  if (stored.kind === 'references' && taken.kind === 'reference') return false;
  if (!comparable(stored, taken)) return false;
  return !(taken.kind === 'whole' && stored.kind === 'decimal');
}
