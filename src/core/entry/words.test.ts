import { describe, expect, it } from 'vitest';
import type { EmptyReason } from './asks';
import type { TraceEvent } from './trace';
import { traceWords, whyEmpty, type Names } from './words';

const names: Names = {
  field: (key) => key.charAt(0).toUpperCase() + key.slice(1),
  path: (_, path) => path.replace('.', ' '),
  value: (_, value) => `“${String(value)}”`,
};
const said = (event: Partial<TraceEvent> & Pick<TraceEvent, 'kind'>) =>
  traceWords({ field: 'town', row: null, cause: null, value: null, ...event }, names).said;

describe('G7 what happened in an entry, in words', () => {
  it.each<[Partial<TraceEvent> & Pick<TraceEvent, 'kind'>, string]>([
    [{ kind: 'set', value: 12 }, 'became “12”'],
    [{ kind: 'set' }, 'was emptied'],
    [{ kind: 'offered', found: 12 }, '12 offered'],
    [{ kind: 'empty' }, 'nothing offered'],
    [{ kind: 'waits', cause: 'region' }, 'waits for Region'],
    [{ kind: 'cleared' }, 'cleared, it is not offered or shown any more'],
    [{ kind: 'taken', value: 12 }, 'the only choice, taken'],
    [{ kind: 'failed' }, 'could not be read'],
    [{ kind: 'brought', value: 'Odile' }, 'brought: “Odile”'],
    [{ kind: 'brought', value: 'Odile', path: 'contact.name' }, 'brought contact name: Odile'],
    [{ kind: 'brought', path: 'contact' }, 'brought contact: nothing'],
    [{ kind: 'computed', value: '0.40' }, 'computed: “0.40”'],
    [{ kind: 'totalled', value: 20 }, 'totalled: “20”'],
    [{ kind: 'begins', value: 4 }, 'begins with “4”'],
    [{ kind: 'shown' }, 'is shown now'],
    [{ kind: 'hidden' }, 'is not shown now'],
    [{ kind: 'named', value: 31 }, 'found by its key'],
    [{ kind: 'not named', value: '0042' }, 'has no record with the key 0042'],
    [{ kind: 'refused', message: 'Too many.' }, 'refused: Too many.'],
    [{ kind: 'holds' }, 'its check holds again'],
    [{ kind: 'warned', warning: 'division_by_zero' }, 'divided by zero: nothing'],
    [{ kind: 'row added' }, 'a line was added'],
    [{ kind: 'row removed' }, 'a line was removed'],
  ])('%o: %s', (event, expected) => {
    expect(said(event)).toBe(expected);
  });

  it('names the field it is about', () => {
    const event: TraceEvent = {
      kind: 'shown',
      field: 'lines.fee',
      row: 'r1',
      cause: null,
      value: null,
    };
    expect(traceWords(event, names).subject).toBe('Lines.fee');
  });
});

describe('C4 why a list is empty, in words', () => {
  const reason = (more: Partial<EmptyReason>): EmptyReason => ({
    total: 96,
    conditions: [],
    withoutSearch: null,
    ...more,
  });
  const region = { path: 'region', operator: 'equal', values: [3], field: 'region', without: 12 };

  it('tells each condition with its value, and how many there would be without it', () => {
    const kind = { path: 'kind', operator: 'one_of', values: ['a', 'b'], field: null, without: 0 };
    expect(whyEmpty('town', reason({ conditions: [region, kind] }), names)).toEqual([
      '“region is “3”” leaves none; without it 12 would be offered.',
      '“kind is one of a, b”: none, with it or without it.',
    ]);
  });

  it('tells that the table is empty before anything else', () => {
    expect(whyEmpty('town', reason({ total: 0, conditions: [region] }), names)).toEqual([
      'There is no record to choose from yet.',
    ]);
  });

  it('tells what was typed where that is why; otherwise the conditions', () => {
    const typed = reason({ conditions: [region], withoutSearch: 5 });
    expect(whyEmpty('town', typed, names)).toEqual([
      'Nothing matches what was typed; without it 5 are offered.',
    ]);
    const both = reason({ conditions: [region], withoutSearch: 0 });
    expect(whyEmpty('town', both, names)).toHaveLength(1);
    expect(whyEmpty('town', both, names)[0]).toContain('without it 12 would be offered');
  });
});
