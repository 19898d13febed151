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
import { wireForm } from '../wiring/form';
import { rehearsalSchema } from './rehearsal';
import { acceptRehearsal, recordRehearsal, runAsNow, runAsRecorded } from './run';
import { stepsOf } from './steps';

const runs = Number(process.env.UNISOR_HISTORIES ?? 300);
const seed = process.env.UNISOR_HISTORIES === undefined ? { seed: 20_261_128 } : {};

describe('G11 a rehearsal of whatever was filled in', () => {
  for (const start of ['new', 'opened'] as const) {
    it(
      `of ${start === 'new' ? 'a new record' : 'a stored one'} holds on its plan, kept and played again`,
      async () => {
        let played = 0;
        await fc.assert(
          fc.asyncProperty(somePlan, someRecord, someSteps, async (plan, record, steps) => {
            const form = wireForm(plan, saleTables);
            if (form.cycle) return;
            played++;
            const opened = start === 'opened' ? openedSale(form, record) : null;
            const screen = new Entry(form, opened ? openedBeginning(opened) : { mode: 'new' });
            for (const step of steps) await takeStep(screen, step);
            await rest(screen);
            const script = {
              ...{ begins: opened, person: {}, link: {}, asked: {} },
              ...{ today: '2027-03-01', now: '2027-03-01T09:00:00Z' },
              steps: stepsOf(screen, opened),
            };
            const reader = readerOf(saleWorld, form);
            const first = await recordRehearsal(form, script, reader);
            const kept = rehearsalSchema.parse(JSON.parse(JSON.stringify(first)));
            const again = await runAsRecorded(form, kept);
            expect(again.unheard).toEqual([]);
            expect(again.verdict.lines.filter(({ fits }) => !fits)).toEqual([]);
            expect(again.verdict.lost).toEqual([]);
            expect((await runAsNow(form, kept, reader)).verdict.holds).toBe(true);
            // Accepted as it came, it is the same.
            const accepted = await acceptRehearsal(form, kept, reader);
            expect(accepted.expects).toEqual(kept.expects);
          }),
          { numRuns: runs, ...seed },
        );
        expect(played).toBeGreaterThan(runs / 2);
      },
      Math.max(60_000, runs * 400),
    );
  }
});
