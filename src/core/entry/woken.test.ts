import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { field, planOf } from '../../../tests/support/definitions';
import {
  openedSale,
  rest,
  saleTables,
  somePlan,
  someRecord,
  someSteps,
  takeStep,
} from '../../../tests/support/histories';
import { wireForm } from '../wiring/form';
import { openedBeginning } from './beginning';
import { Entry } from './entry';
import { cellProblems } from './entry-problems';
import { isClosed, type Cell } from './host-state';

/** All that a screen shows of a cell, as text. */
function face(entry: Entry, cell: Cell): string {
  const { value, rejected, current, chosen, choices, notOffered, hidden, required, locked } = cell;
  const { unsure, waitsFor, readAt, keyText, columns, derived, wired, host } = cell;
  const failed = [...cell.questions.values()].map((question) => question.failed);
  const options = entry.options(wired.field.key, host.scope.key === '' ? undefined : host);
  const known = [value, rejected, current, chosen, choices, notOffered, hidden, required, locked];
  const more = [unsure, waitsFor, readAt, keyText, columns, derived, failed, isClosed(cell)];
  return JSON.stringify([known, more, options, cellProblems(cell)]);
}

function faces(entry: Entry): Map<Cell, string> {
  const hosts = [...entry.form.scopes.keys()].flatMap((key) =>
    key === '' ? [entry.root] : [...entry.rowsOf(key).values()],
  );
  return new Map(hosts.flatMap((host) => host.cells.map((cell) => [cell, face(entry, cell)])));
}

function layout(entry: Entry): string {
  const grids = [...entry.form.scopes.keys()].filter((key) => key !== '');
  return JSON.stringify(
    grids.map((grid) => [entry.isThere(grid), entry.rows(grid).map(({ key }) => key)]),
  );
}

describe('F1 what a change has touched', () => {
  it('is told whole: nothing that a screen shows becomes another unnoticed', async () => {
    await fc.assert(
      fc.asyncProperty(
        somePlan,
        someRecord,
        fc.boolean(),
        someSteps,
        async (plan, record, stored, steps) => {
          const form = wireForm(plan, saleTables);
          if (form.cycle) return;
          const opened = stored ? openedSale(form, record) : null;
          const entry = new Entry(form, opened ? openedBeginning(opened) : { mode: 'new' });
          const check = (what: unknown, before: Map<Cell, string>, rows: string) => {
            const woken = entry.takeWoken();
            for (const [cell, now] of faces(entry)) {
              const was = before.get(cell);
              if (was === undefined || was === now) continue;
              expect(
                woken.cells.has(cell),
                `${JSON.stringify(what)}: ${cell.name} ${was} → ${now}`,
              ).toBe(true);
            }
            if (layout(entry) !== rows) expect(woken.rows).toBe(true);
          };
          entry.takeWoken();
          for (const step of steps) {
            const [before, rows] = [faces(entry), layout(entry)];
            await takeStep(entry, step);
            check(step, before, rows);
          }
          const last: [string, () => unknown][] = [
            ['rest', () => rest(entry)],
            ['retry', () => entry.retry()],
            ['refresh', () => entry.refresh()],
            ['left', () => entry.leave(() => true)],
          ];
          for (const [name, act] of last) {
            const [before, rows] = [faces(entry), layout(entry)];
            await act();
            check(name, before, rows);
          }
        },
      ),
      { numRuns: 300 },
    );
  });

  it('is little: a field that nothing follows from wakes itself', () => {
    const computed = field('sum', { holds: { kind: 'whole' }, computes: 'copies * 2' });
    const copies = field('copies', { holds: { kind: 'whole' } });
    const plan = planOf('sale', [copies, computed, field('note')]);
    const entry = new Entry(wireForm(plan, saleTables), { mode: 'new' });
    const woken = (act: () => void) => {
      entry.takeWoken();
      act();
      return [...entry.takeWoken().cells].map(({ name }) => name).sort();
    };
    expect(woken(() => entry.type('note', 'x'))).toEqual(['note']);
    expect(woken(() => entry.type('copies', '2'))).toEqual(['copies', 'sum']);
  });
});
