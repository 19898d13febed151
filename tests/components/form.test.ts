import { describe, expect, it } from 'vitest';
import { render } from 'vitest-browser-svelte';
import { page, userEvent } from 'vitest/browser';
import type { z } from 'zod';
import { planSchema, type gridSchema } from '$lib/core/plan/schema';
import { KeptWidths } from '$lib/ui/filling/kept-widths';
import type { EntrySession } from '$lib/ui/filling/session.svelte';
import { goTo } from '$lib/ui/shared/focus';
import { column, field, planOf, reference } from '../support/definitions';
import FormWorld from './FormWorld.svelte';

const whole = { kind: 'whole' } as const;

async function drawn(plan: ReturnType<typeof planOf>): Promise<EntrySession> {
  let session: EntrySession | undefined;
  await render(FormWorld, {
    plan,
    lineColumns: [column('copies', { type: whole }), reference('loan')],
    ondrawn: (made: EntrySession) => (session = made),
  });
  if (!session) throw new Error('no session');
  return session;
}
const cell = (name: string) => page.getByRole('gridcell', { name, exact: true });

/** A form with a grid of copies. */
function withLines(grid: Partial<z.input<typeof gridSchema>>) {
  const plan = planOf('loan', [field('all', { holds: whole, computes: 'sum(lines.copies)' })]);
  const fields = [
    field('copies', { savesTo: 'copies', holds: whole }),
    field('more', { holds: whole, computes: 'copies + parent.all' }),
  ];
  const lines = {
    ...{ key: 'lines', title: 'Lines', columns: 2, page: null, fields },
    grid: { table: 'line', link: 'loan', ...grid },
  };
  return planSchema.parse({ ...plan, sections: [...plan.sections, lines] });
}
const box = (name: string) => page.getByRole('textbox', { name, exact: true });

describe('F1 a change is drawn where it shows', () => {
  it('a field comes and goes by its condition, is required and locked by others', async () => {
    await drawn(
      planOf('loan', [
        field('kind'),
        field('why', {
          shownWhen: 'kind = "lost"',
          requiredWhen: 'kind = "lost"',
          lockedWhen: 'copies > 2',
        }),
        field('copies', { holds: whole }),
        field('twice', { holds: whole, computes: 'copies * 2' }),
      ]),
    );
    await expect.element(box('why')).not.toBeInTheDocument();
    await userEvent.type(box('kind'), 'lost');
    await userEvent.tab();
    await expect.element(box('why')).toBeVisible();
    await expect.element(box('why')).toHaveAttribute('aria-required', 'true');
    await userEvent.type(box('copies'), '3');
    await userEvent.tab();
    await expect.element(page.getByText('6', { exact: true })).toBeVisible();
    await expect.element(page.getByText('locked')).toBeVisible();
    await userEvent.fill(box('kind'), 'kept');
    await userEvent.tab();
    await expect.element(box('why')).not.toBeInTheDocument();
  });

  it('what is wrong is said once it was touched, and goes with its cause', async () => {
    await drawn(
      planOf('loan', [
        field('copies', {
          holds: whole,
          checks: [{ holds: 'copies <= most', message: 'Too many.' }],
        }),
        field('most', { holds: whole }),
      ]),
    );
    await userEvent.type(box('most'), '2');
    await userEvent.type(box('copies'), '3');
    await userEvent.tab();
    await expect.element(page.getByText('Too many.')).toBeVisible();
    await userEvent.fill(box('most'), '5');
    await userEvent.tab();
    await expect.element(page.getByText('Too many.')).not.toBeInTheDocument();
    await userEvent.fill(box('copies'), 'many');
    await userEvent.tab();
    await expect.element(box('copies')).toHaveAttribute('aria-invalid', 'true');
  });

  it('rows come and go, and what is computed of them follows', async () => {
    const session = await drawn(withLines({ view: null }));
    session.changeRows((entry) => void entry.addRow('lines', { values: { copies: 2 } }));
    session.changeRows((entry) => void entry.addRow('lines', { values: { copies: 3 } }));
    await expect.element(page.getByText('2 lines')).toBeVisible();
    const [first] = session.rows('lines');
    session.set('copies', 7, null, first);
    await expect.element(cell('copies, line 1: 7')).toBeVisible();
    await expect.element(cell('more, line 2: 13')).toBeVisible();
    session.changeRows((entry) => first && entry.removeRow(first));
    await expect.element(page.getByText('1 line', { exact: true })).toBeVisible();
    await expect.element(cell('more, line 1: 6')).toBeVisible();
  });
});

describe('A6 lines are looked at', () => {
  const add = (session: EntrySession, copies: number) =>
    session.changeRows((entry) => void entry.addRow('lines', { values: { copies } }));

  it('drawn below the grid, and those of one part alone until all are asked for', async () => {
    const total = { column: 'copies', kind: 'sum' as const };
    const session = await drawn(withLines({ picture: { by: 'copies', total } }));
    for (const copies of [2, 2, 5]) add(session, copies);
    const picture = page.getByRole('group', { name: 'Picture of Lines' });
    await expect.element(picture.getByRole('listitem').first()).toHaveTextContent(/5.*5 · 56 %/);
    await picture.getByRole('button', { name: '2', exact: true }).click();
    await expect.element(page.getByText('2 of 3 lines')).toBeVisible();
    await expect.element(cell('copies, line 3: 5')).not.toBeInTheDocument();
    // What is added stays in sight, and the picture goes on showing all of them.
    add(session, 8);
    await expect.element(cell('copies, line 4: 8')).toBeVisible();
    await expect.element(picture.getByRole('listitem').first()).toHaveTextContent(/8.*8 · 47 %/);
    await page.getByRole('button', { name: 'Show all lines' }).click();
    await expect.element(cell('copies, line 3: 5')).toBeVisible();
    await picture.getByRole('button', { name: 'Close the picture' }).click();
    await expect.element(picture).not.toBeInTheDocument();
    await page.getByRole('button', { name: 'Draw' }).click();
    await picture.getByRole('button', { name: 'As a table' }).click();
    await expect.element(page.getByRole('table', { name: 'copies, sum by copies' })).toBeVisible();
  });

  it('by the groups of its totals, and each line that one is sent to', async () => {
    const session = await drawn(
      withLines({ totals: [{ column: 'copies', kind: 'sum' }], picture: { by: 'copies' } }),
    );
    for (const copies of [2, 5]) add(session, copies);
    await page.getByRole('button', { name: 'As a table' }).click();
    await page.getByRole('table', { name: 'Lines by copies' }).getByRole('button').first().click();
    await expect.element(page.getByText('1 of 2 lines')).toBeVisible();
    goTo('lines[1].copies');
    await expect.element(cell('copies, line 2: 5')).toHaveFocus();
  });

  it('as wide as they were pulled, also later, and whatever was kept instead', async () => {
    const name = 'unisor widths loan.lines';
    const width = (line: string) => cell(line).element().getBoundingClientRect().width;
    localStorage.setItem(name, '{"copies":"wide"}');
    add(await drawn(withLines({})), 2);
    await expect.element(cell('copies, line 1: 2')).toBeVisible();
    expect(width('copies, line 1: 2')).not.toBe(321);
    new KeptWidths('loan.lines').set('copies', 321);
    add(await drawn(withLines({})), 3);
    await expect.element(cell('copies, line 1: 3')).toBeVisible();
    expect(width('copies, line 1: 3')).toBe(321);
    localStorage.removeItem(name);
  });
});
