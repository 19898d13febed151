import { Decimal } from 'decimal.js';
import type { Field } from '../plan/schema';
import type { Value } from '../values/types';
import { reader } from '../words/reader';
import { problem, type Problem } from '../problems';
import { checkValue } from '../values/parse';
import { formatValue } from '../values/format';
import { misfitsIn, type FilesType } from '../values/files';
import { filesIn, offeredOptions } from '../values/types';
import type { Cell, HostState } from './host-state';
import { notOfferedProblem, offersOption } from './choosing';
import { isShut, isUntouched } from './shut';

/** The problems of a host as it stands, in form order, each at its field behind a prefix. */
export function problemsOf(host: HostState, prefix: string): Problem[] {
  return host.cells.flatMap((cell) => {
    const path = prefix + cell.wired.field.key;
    return cellProblems(cell).map((found) => ({ ...found, path }));
  });
}

/** The problems of one field; a hidden one has none. */
export function cellProblems(cell: Readonly<Cell>): Problem[] {
  const { field, type } = cell.wired;
  if (isShut(cell) && !isUntouched(cell)) {
    const { base = field.initial } = cell;
    return [problem('not_typed', { label: field.label, now: formatValue(type, base, reader()) })];
  }
  if (cell.hidden) return [];
  if (cell.rejected) return [cell.rejected.problem];
  if (cell.keyText !== null && !cell.derived) {
    return [problem('still_looked_up', { given: cell.keyText })];
  }
  for (const kind of ['record', 'value'] as const) {
    const failed = cell.questions.get(kind)?.failed;
    // A system outside that does not answer is told at the field, and stops nothing.
    if (failed && cell.wired.sources[kind]?.whenFailed === 'stops') return [failed];
  }
  const refused = [...cell.refusals.values()].map((message) => checkProblem(message));
  if (cell.value === null) {
    const missing = field.required || cell.required;
    return missing ? [problem('required', { label: field.label }), ...refused] : refused;
  }
  const checked = checkValue(type, cell.value, field.label);
  if ('problem' in checked) return [checked.problem];
  const misfit = type.kind === 'files' && filesProblem(type, cell);
  if (misfit) return [misfit, ...refused];
  const beyond = field.asked && boundsProblem(field, cell.value);
  if (beyond) return [beyond, ...refused];
  // What the record holds, and nobody has changed, is marked, but stops nothing.
  if ((cell.notOffered || !isListed(cell)) && !isAsStored(cell)) return [notOfferedProblem(cell)];
  return refused;
}

/** Whether a value is that of the stored record, under the values that narrowed it there. */
export function isAsStored(cell: Readonly<Cell>): boolean {
  const { life } = cell.host;
  return life.root.stored !== null && !cell.isChanged() && !life.isAskedAnew(cell);
}

/** Whether the value is among the choices that the plan itself lists. */
export function isListed(cell: Readonly<Cell>): boolean {
  const { wired, value, host } = cell;
  const { field, type } = wired;
  if (field.choices?.kind === 'values') return field.choices.values.some((o) => o.value === value);
  if (field.choices?.kind === 'options') return offersOption(host.life, cell);
  if (field.choices?.kind === 'columns') return field.choices.paths.some((path) => path === value);
  if (type.kind === 'option')
    return offeredOptions(type.options, null).some((o) => o.value === value);
  return true;
}

/** Files that are new in a field and that it does not take; whether they are what they say, the server looks at. */
function filesProblem(
  type: FilesType,
  { wired, value, base = null }: Readonly<Cell>,
): Problem | null {
  const before = new Set(filesIn(base).map(({ file }) => file));
  return misfitsIn(type, wired.field.label, filesIn(value), ({ file }) => !before.has(file));
}

/** A number that a question does not take. */
function boundsProblem({ asked, label }: Field, value: Value): Problem | null {
  const { least = null, greatest = null } = asked?.question ?? {};
  if (typeof value !== 'string' && typeof value !== 'number') return null;
  if (!/^-?\d+(\.\d+)?$/.test(String(value))) return null;
  const number = new Decimal(value);
  const low = least !== null && number.lt(least);
  const high = greatest !== null && number.gt(greatest);
  if (!low && !high) return null;
  const bounds = { label, least: least ?? '', greatest: greatest ?? '' };
  if (least === null) return problem('answer_greatest', bounds);
  return problem(greatest === null ? 'answer_least' : 'answer_bounds', bounds);
}

/** A check says what its designer wrote, in full. */
function checkProblem(message: string): Problem {
  return { ...problem('check_failed'), message };
}
