import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { EntryState } from '$lib/core/entry/state';
import { Steps } from './steps';

const stateWith = (value: string): EntryState => ({
  values: { name: value },
  own: [],
  link: {},
  based: false,
  away: [],
  rows: {},
});

describe('the steps of an entry', () => {
  it('lead back to where it began, and forth to where it was', () => {
    const change = fc.record({ value: fc.string(), path: fc.constantFrom('name', 'town', '') });
    fc.assert(
      fc.property(fc.array(change, { maxLength: 30 }), (changes) => {
        const steps = new Steps(stateWith('first'));
        for (const { value, path } of changes) steps.note(stateWith(value), path);
        const last = changes.at(-1)?.value ?? 'first';
        const back: string[] = [];
        for (let state = steps.undo(); state; state = steps.undo())
          back.push(String(state.values.name));
        if (back.length > 0) expect(back.at(-1)).toBe('first');
        expect(steps.canUndo).toBe(false);
        let forth = 'first';
        for (let state = steps.redo(); state; state = steps.redo())
          forth = String(state.values.name);
        expect(forth).toBe(last);
      }),
    );
  });

  it('take what is typed into one field together, and what comes after an undo not', () => {
    const steps = new Steps(stateWith(''));
    for (const text of ['a', 'ab', 'abc']) steps.note(stateWith(text), 'name');
    expect(steps.undo()?.values.name).toBe('');
    steps.note(stateWith('x'), 'name');
    expect(steps.canRedo).toBe(false);
    expect(steps.undo()?.values.name).toBe('');
  });

  it('forget the oldest beyond a hundred', () => {
    const steps = new Steps(stateWith('0'));
    for (let i = 1; i <= 150; i++) steps.note(stateWith(String(i)), '');
    let undone = 0;
    while (steps.undo()) undone++;
    expect(undone).toBe(100);
  });
});
