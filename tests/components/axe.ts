import axe from 'axe-core';
import { expect } from 'vitest';

/** Holds a part against the rules for whoever cannot see it or point at it; it stands in no page of its own. */
export async function expectNoFindings(container: Element): Promise<void> {
  const { violations } = await axe.run(container, { rules: { region: { enabled: false } } });
  const found = violations.flatMap(({ id, nodes }) => nodes.map(({ html }) => `${id}: ${html}`));
  expect(found).toEqual([]);
}
