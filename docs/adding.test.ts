import { existsSync, readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';

const text = readFileSync('docs/adding.md', 'utf8');

/** What the document names: `src/file.ts` (`word`, `word`). */
const named = [
  ...text.matchAll(/`((?:src|tests)\/[^`]+)`(?:\s*\(((?:`[^`]+`(?:,\s*)?)+)\))?/g),
].map(([, file = '', words = '']) => ({
  file,
  words: [...words.matchAll(/`([^`]+)`/g)].map(([, word = '']) => word),
}));

describe('docs/adding.md', () => {
  it('has an example in each part', () => {
    const parts = text.split(/^## /m).slice(1);
    expect(parts.length).toBeGreaterThan(6);
    for (const part of parts) expect(part, part.split('\n')[0]).toMatch(/`(src|tests)\//);
    expect(named.length).toBeGreaterThan(25);
  });

  it.each(named)('$file is there, and has $words in it', ({ file, words }) => {
    expect(existsSync(file)).toBe(true);
    const source = readFileSync(file, 'utf8');
    for (const word of words) expect(source).toContain(word);
  });
});
