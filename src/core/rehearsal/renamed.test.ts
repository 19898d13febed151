import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  openedSale,
  rest,
  saleTables,
  saleWorld,
  somePlan,
  someRecord,
  someSteps,
  takeStep,
} from '../../../tests/support/histories';
import { readerOf } from '../../../tests/support/world';
import { openedBeginning } from '../entry/beginning';
import { Entry } from '../entry/entry';
import { renameColumn, renameField, renameTable } from '../plan/rename';
import type { Plan } from '../plan/schema';
import { scopesOf } from '../plan/scopes';
import type { House } from '../table/definition';
import { renameColumnIn, renameTableIn } from '../table/rename';
import { houseOf } from '../table/sources';
import { wireForm, type WiredForm } from '../wiring/form';
import { rehearsalSchema, type Rehearsal } from './rehearsal';
import { renamedRehearsal, sameNames } from './renamed';
import { recordRehearsal, runAsRecorded } from './run';
import { stepsOf } from './steps';

const runs = Number(process.env.UNISOR_HISTORIES ?? 25);
const seed = process.env.UNISOR_HISTORIES === undefined ? { seed: 20_261_129 } : {};

/** What is renamed, one thing after the other: fields of every scope, columns and tables. */
function* renamings(plan: Plan): Iterable<[string, Plan, House, typeof sameNames]> {
  for (const { key: scope, fields } of scopesOf(plan)) {
    for (const { key } of fields) {
      const renamed = renameField(plan, saleTables, key, 'quite_another', scope);
      yield [`field ${scope}.${key}`, renamed, saleTables, sameNames];
    }
  }
  for (const table of saleTables.values()) {
    const to = 'quite_another';
    const whole = tablesWith(renameTableIn(saleTables, table.key, to), table.key);
    const moved = renameTable(plan, saleTables, table.key, to);
    const names = { ...sameNames, table: (key: string) => (key === table.key ? to : key) };
    yield [`table ${table.key}`, moved, whole, names];
    for (const { key } of table.columns) {
      const others = tablesWith(renameColumnIn(saleTables, table.key, key, to), table.key);
      const column = (of: string, name: string) => (of === table.key && name === key ? to : name);
      const renamed = renameColumn(plan, saleTables, table.key, key, to);
      yield [`column ${table.key}.${key}`, renamed, others, { ...sameNames, column }];
    }
  }
}

function tablesWith(changed: ReturnType<typeof renameTableIn>, was: string): House {
  const all = new Map([...saleTables].map(([key, table]) => [key, table]));
  if (!changed.some(({ key }) => key === was)) all.delete(was);
  for (const table of changed) all.set(table.key, table);
  return houseOf([...all]);
}

async function recordedOf(
  form: WiredForm,
  record: Parameters<typeof openedSale>[1] | null,
  steps: Parameters<typeof takeStep>[1][],
): Promise<Rehearsal> {
  const opened = record && openedSale(form, record);
  const screen = new Entry(form, opened ? openedBeginning(opened) : { mode: 'new' });
  for (const step of steps) await takeStep(screen, step);
  await rest(screen);
  const script = {
    ...{ begins: opened, person: {}, link: { 'with.note': 'x' }, asked: {} },
    ...{ today: '2027-03-01', now: '2027-03-01T09:00:00Z' },
    steps: stepsOf(screen, opened),
  };
  return recordRehearsal(form, script, readerOf(saleWorld, form));
}

describe('G11 a rehearsal under other names', () => {
  for (const start of ['new', 'opened'] as const) {
    it(
      `of ${start === 'new' ? 'a new record' : 'a stored one'} holds whatever is renamed, asks nothing anew, and comes back`,
      async () => {
        const met = new Set<string>();
        await fc.assert(
          fc.asyncProperty(somePlan, someRecord, someSteps, async (plan, record, steps) => {
            const form = wireForm(plan, saleTables);
            if (form.cycle) return;
            const kept = await recordedOf(form, start === 'opened' ? record : null, steps);
            for (const [what, renamed, tables, names] of renamings(plan)) {
              const is = wireForm(renamed, tables);
              const now = renamedRehearsal(kept, { was: form, is, ...names });
              const read = rehearsalSchema.parse(JSON.parse(JSON.stringify(now)));
              const { verdict, unheard } = await runAsRecorded(is, read);
              expect([what, unheard]).toEqual([what, []]);
              expect([what, verdict.lines.filter(({ fits }) => !fits)]).toEqual([what, []]);
              expect([what, verdict.lost]).toEqual([what, []]);
              if (JSON.stringify(now) !== JSON.stringify(kept)) met.add(what);
              if (names !== sameNames) continue;
              const back = renamedRehearsal(now, { was: is, is: form, ...sameNames });
              expect(back).toEqual(kept);
            }
          }),
          { numRuns: runs, ...seed },
        );
        // Each kind of place was met.
        for (const what of ['field .item', 'table sale', 'column sale.note', 'column item.price']) {
          expect([...met]).toContain(what);
        }
      },
      Math.max(60_000, runs * 1000),
    );
  }
});
