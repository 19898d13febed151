import { pendingText } from '../entry/state';
import type { Entry, Row } from '../entry/entry';
import type { Cell } from '../entry/host-state';
import { openedBeginning } from '../entry/beginning';
import type { OpenedRecord } from '../entry/stored';
import { sameValue } from '../values/types';
import type { WiredForm } from '../wiring/form';
import type { WiredField } from '../wiring/wired';
import type { RehearsedStep } from './rehearsal';

/**
 * What a person has done in an entry, from top to bottom, so that what others hang on comes before them: rows that were
 * taken out, what was put into the form, then row by row. Rows are named by the places they have when these are done in
 * order.
 */
export function stepsOf(entry: Entry, base: OpenedRecord | null): RehearsedStep[] {
  const steps: RehearsedStep[] = [];
  const order = fillingOrder(entry.form);
  const grids = [...entry.form.scopes.values()].filter(({ key }) => key !== '');
  // The keys of the rows of each grid as they stand while the steps are done.
  const standing = new Map(
    Object.entries(base ? (openedBeginning(base).rows ?? {}) : {}).map(([grid, rows]) => [
      grid,
      rows.map(({ key }) => key ?? ''),
    ]),
  );
  for (const { key: grid } of [...grids].reverse()) {
    const gone = new Set(entry.removed(grid).map((row) => row.key));
    const rows = standing.get(grid) ?? [];
    for (let i = rows.length - 1; i >= 0; i--) {
      if (!gone.has(rows[i] ?? '')) continue;
      steps.push({ do: 'remove', at: `${grid}[${i}]` });
      rows.splice(i, 1);
    }
  }
  steps.push(...cellSteps(entry.root, '', order));
  for (const { key: grid, within } of grids) {
    const rows = standing.get(grid) ?? [];
    standing.set(grid, rows);
    for (const row of entry.rows(grid)) {
      if (!rows.includes(row.key)) {
        const outer = (standing.get(within ?? '') ?? []).indexOf(row.parent?.key ?? '');
        steps.push({ do: 'add', grid, within: within === null ? '' : `${within}[${outer}]` });
        rows.push(row.key);
      }
      steps.push(...cellSteps(row, `${grid}[${rows.indexOf(row.key)}].`, order));
    }
  }
  return steps;
}

function cellSteps(
  host: Row,
  prefix: string,
  order: ReadonlyMap<WiredField, number>,
): RehearsedStep[] {
  const done = host.cells.filter((cell) => isDone(host, cell));
  const place = ({ wired }: Cell) => order.get(wired) ?? 0;
  return done
    .sort((a, b) => place(a) - place(b))
    .map((cell): RehearsedStep => {
      const at = `${prefix}${cell.wired.field.key}`;
      const text = pendingText(cell);
      return text === null
        ? { do: 'set', at, value: cell.value }
        : { do: 'type', at, text: text.slice(0, 100_000) };
    });
}

/** Whether a person has put something into a cell: another value than it would begin with. */
function isDone(host: Row, cell: Cell): boolean {
  if (cell.derived || cell.hidden) return false;
  if (pendingText(cell) !== null) return true;
  if (host.stored) return cell.isChanged();
  if (!cell.own) return false;
  return cell.follows || !sameValue(cell.value, cell.wired.field.initial);
}

/** The fields in the order of the form, but each after those on which its list, or whether it is there, hangs. */
function fillingOrder(form: WiredForm): Map<WiredField, number> {
  const before = new Map<WiredField, Set<WiredField>>();
  for (const node of form.graph.nodes) {
    if (node.aspect === 'there') continue;
    for (const { to } of node.feeds) {
      if (to.aspect === 'there' || to.wired === node.wired) continue;
      const known = before.get(to.wired) ?? new Set<WiredField>();
      before.set(to.wired, known.add(node.wired));
    }
  }
  const order = new Map<WiredField, number>();
  const seen = new Set<WiredField>();
  const place = (wired: WiredField) => {
    if (seen.has(wired)) return;
    seen.add(wired);
    for (const one of before.get(wired) ?? []) place(one);
    order.set(wired, order.size);
  };
  for (const { list } of form.scopes.values()) list.forEach(place);
  return order;
}
