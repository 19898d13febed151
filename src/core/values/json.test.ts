import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { deepestJson, parseOutsideJson } from './json';

describe('JSON from outside', () => {
  it('is read as it is written', () => {
    fc.assert(
      fc.property(fc.jsonValue({ maxDepth: 20, stringUnit: 'grapheme' }), (value) => {
        expect(parseOutsideJson(JSON.stringify(value))).toEqual(JSON.parse(JSON.stringify(value)));
      }),
    );
  });

  it('is refused where it is nested without end, in lists, objects, or both', () => {
    for (const [open, close] of [
      ['[', ']'],
      ['{"a":', '}'],
    ] as const) {
      const nested = (n: number) => `${open.repeat(n)}1${close.repeat(n)}`;
      expect(() => parseOutsideJson(nested(deepestJson))).not.toThrow();
      expect(() => parseOutsideJson(nested(deepestJson + 1))).toThrow(SyntaxError);
      expect(() => parseOutsideJson(nested(100_000))).toThrow(SyntaxError);
    }
    expect(parseOutsideJson(`"${'['.repeat(1000)}\\"${'{'.repeat(1000)}"`)).toHaveLength(2001);
  });

  it('holds no half of a character, in values or names', () => {
    const texts = ['"\\ud800"', '"a\\udc00b"', '{"\\uDBFF":1}', '[["\\ud83d x"]]'];
    for (const text of texts) expect(() => parseOutsideJson(text), text).toThrow(SyntaxError);
    expect(parseOutsideJson('"\\ud83d\\udc0e"')).toBe('🐎');
  });
});
