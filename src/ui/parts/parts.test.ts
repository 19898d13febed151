import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, it } from 'vitest';

/** What a state is called while something is under way. */
const underWay = /disabled=\{[^}]*\b(?:busy|saving|making|sending|loading|working)\b/;

it('no control is shut by what it has begun: it would lose the cursor', () => {
  const pages = ['src/ui', 'src/routes'].flatMap((folder) =>
    readdirSync(folder, { recursive: true, encoding: 'utf8' })
      .filter((file) => file.endsWith('.svelte'))
      .map((file) => join(folder, file)),
  );
  expect(pages.length).toBeGreaterThan(100);
  expect(pages.filter((file) => underWay.test(readFileSync(file, 'utf8')))).toEqual([]);
});
