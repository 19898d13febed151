import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { play, someRecord, somePlan, someSteps } from '../../../tests/support/histories';

/** So many histories of each kind are played; `UNISOR_HISTORIES=50000` plays a long run. */
const runs = Number(process.env.UNISOR_HISTORIES ?? 500);
/** The same ones on every machine, so that what fails can be repeated; a long run plays others each time. */
const seed = process.env.UNISOR_HISTORIES === undefined ? { seed: 20_261_126 } : {};

describe('R3 screen, draft and server come to the same from any history', () => {
  for (const start of ['new', 'opened'] as const) {
    it(
      `of ${start === 'new' ? 'a new record' : 'a stored one'}, and end`,
      async () => {
        let played = 0;
        await fc.assert(
          fc.asyncProperty(somePlan, someRecord, someSteps, async (plan, record, steps) => {
            const end = await play(plan, start, record, steps);
            if (!end) return;
            played++;
            expect(end.draft, 'draft').toEqual(end.screen);
            expect(end.server, 'server').toEqual(end.screen);
            expect(end.refused, 'refused').toEqual([]);
          }),
          { numRuns: runs, ...seed },
        );
        expect(played).toBeGreaterThan(runs / 2);
      },
      Math.max(60_000, runs * 200),
    );
  }
});
