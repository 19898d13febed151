import { describe, expect, it } from 'vitest';
import { insteadOf, withCorrection, type Correction } from './corrections';

describe('what is put right in a file', () => {
  const everywhere: Correction = { source: 2, given: 'Veldn', instead: 'Velden' };
  const cell: Correction = { source: 2, line: 4, instead: 'Oakhurst' };

  it('holds one text for each text of a column and for each cell: the last', () => {
    const later = { ...everywhere, instead: 'Saltmere' };
    const all = [everywhere, cell, later, { ...cell, line: 5 }, { ...cell, source: 1 }].reduce(
      withCorrection,
      [] as Correction[],
    );
    expect(all).toEqual([cell, later, { ...cell, line: 5 }, { ...cell, source: 1 }]);
    expect(insteadOf(all, 2, 'Veldn')).toBe('Saltmere');
    expect(insteadOf(all, 1, 'Veldn')).toBeUndefined();
    expect(insteadOf(all, 2, 'Oakhurst')).toBeUndefined();
  });

  it('is no correction where the text stays as it is', () => {
    expect(withCorrection([everywhere], { ...everywhere, instead: 'Veldn' })).toEqual([]);
  });
});
