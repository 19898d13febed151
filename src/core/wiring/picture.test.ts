import { describe, expect, it } from 'vitest';
import { lendingPlan, lendingTables, linesPlan } from '../../../tests/support/lending';
import { boxHeight, drawWiring, lit } from './picture';
import { wireForm } from './form';

const picture = (plan = lendingPlan()) => drawWiring(wireForm(plan, lendingTables));

describe('G5 the wiring as a picture', () => {
  it('draws tables read, fields and tables written, with what flows between them', () => {
    const { boxes, lines } = picture();
    const layer = (id: string) => boxes.find((box) => box.id === id)?.layer ?? -1;
    expect(layer('source town')).toBe(0);
    expect(layer('region')).toBe(1);
    expect(layer('town')).toBe(2);
    expect(layer('ensemble')).toBe(3);
    expect(layer('rate')).toBe(4);
    expect(layer('target loan')).toBeGreaterThan(layer('fee'));
    expect(lines).toContainEqual({ from: 'region', to: 'town', flow: 'narrows' });
    expect(lines).toContainEqual({ from: 'ensemble', to: 'contact', flow: 'brings' });
    expect(lines).toContainEqual({ from: 'rate', to: 'fee', flow: 'computes' });
    expect(lines).toContainEqual({ from: 'source copy_movement', to: 'received', flow: 'choices' });
    expect(lines).toContainEqual({ from: 'fee', to: 'target loan', flow: 'writes' });
  });

  it('lays no box over another', () => {
    for (const { boxes, height } of [picture(), picture(linesPlan())]) {
      for (const a of boxes) {
        expect(a.y + boxHeight).toBeLessThanOrEqual(height + 0.001);
        for (const b of boxes) {
          if (a === b || a.x !== b.x) continue;
          expect(Math.abs(a.y - b.y)).toBeGreaterThanOrEqual(boxHeight);
        }
      }
    }
  });

  it('lights what a field hangs on and what hangs on it', () => {
    const drawn = picture();
    const { boxes } = lit(drawn, 'score');
    expect([...boxes]).toEqual(
      expect.arrayContaining(['source score', 'received', 'on_hand', 'copies', 'target loan']),
    );
    expect(boxes.has('region')).toBe(false);
  });

  it('shows rows with their grid, and where they are written', () => {
    const { boxes, lines } = picture(linesPlan());
    expect(boxes.find((box) => box.id === 'lines.fee')?.more).toBe('Lines');
    expect(lines).toContainEqual({ from: 'lines.fee', to: 'total', flow: 'computes' });
    expect(lines).toContainEqual({ from: 'lines.score', to: 'target loan_line', flow: 'writes' });
  });
});
