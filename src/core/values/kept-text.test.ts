import { describe, expect, it } from 'vitest';
import { readerOf } from '../words/reader';
import { keptText } from './kept-text';
import { plainText, type Value, type ValueType } from './types';

const reader = readerOf('en-GB', 'UTC');
const town: ValueType = { kind: 'reference', table: 'town' };
const towns: ValueType = { kind: 'references', table: 'town', mirrors: null };
const names = (_: string, id: number) => ['', 'Velden', 'Oakhurst'][id];

/** Every type, with a value of it. */
const kinds: [ValueType, Value][] = [
  [plainText, 'a text'],
  [{ kind: 'long_text' }, 'a\nlong one'],
  [{ kind: 'whole' }, 7],
  [{ kind: 'decimal', precision: 8, scale: 2 }, '12.50'],
  [{ kind: 'yes_no' }, true],
  [{ kind: 'date' }, '2026-01-31'],
  [{ kind: 'time' }, '09:30:00'],
  [{ kind: 'date_time' }, '2026-01-31T09:30:00Z'],
  [{ kind: 'duration' }, 'PT90M'],
  [{ kind: 'option', options: [{ value: 'a', label: 'A' }] }, 'a'],
  [{ kind: 'code', pattern: '{0000}' }, '0001'],
  [town, 1],
  [towns, [1, 2]],
];

describe('A9 a value that was kept under another type', () => {
  it.each(
    kinds.flatMap(([type]) => kinds.map(([from, value]) => [type.kind, from.kind, type, value])),
  )('can be read: now %s, then %s', (...[, , type, value]) => {
    const text = keptText(type as ValueType, value as Value, reader, names);
    expect(text).not.toMatch(/NaN|Invalid|undefined|object/);
  });

  it('is shown as it was written where it is none of the type, and by name where it is a record', () => {
    expect(keptText({ kind: 'date' }, '31/01/2026', reader)).toBe('31/01/2026');
    expect(keptText({ kind: 'date' }, '2026-01-31', reader)).toBe('31 Jan 2026');
    expect(keptText({ kind: 'yes_no' }, 'perhaps', reader)).toBe('perhaps');
    expect(keptText(town, 'Velden', reader)).toBe('Velden');
    expect(keptText(town, 1, reader, names)).toBe('Velden');
    expect(keptText(towns, [1, 2], reader, names)).toBe('Velden and Oakhurst');
    expect(keptText(towns, 2, reader, names)).toBe('Oakhurst');
    expect(keptText(town, 9, reader, names)).toBe('a record that is gone');
    expect(keptText(plainText, null, reader)).toBe('–');
  });
});
