import { describe, expect, it } from 'vitest';
import { render } from 'vitest-browser-svelte';
import { page, userEvent } from 'vitest/browser';
import { planSchema } from '$lib/core/plan/schema';
import type { EntrySession } from '$lib/ui/filling/session.svelte';
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
    const plan = planOf('loan', [field('all', { holds: whole, computes: 'sum(lines.copies)' })]);
    const fields = [
      field('copies', { savesTo: 'copies', holds: whole }),
      field('more', { holds: whole, computes: 'copies + parent.all' }),
    ];
    const grid = { table: 'line', link: 'loan', within: null, view: null };
    const session = await drawn(
      planSchema.parse({
        ...plan,
        sections: [
          ...plan.sections,
          { key: 'lines', title: 'Lines', columns: 2, page: null, fields, grid },
        ],
      }),
    );
    session.changeRows((entry) => void entry.addRow('lines', { values: { copies: 2 } }));
    session.changeRows((entry) => void entry.addRow('lines', { values: { copies: 3 } }));
    await expect.element(page.getByText('2 lines')).toBeVisible();
    const [first] = session.rows('lines');
    session.set('copies', 7, null, first);
    const cell = (name: string) => page.getByRole('gridcell', { name, exact: true });
    await expect.element(cell('copies, line 1: 7')).toBeVisible();
    await expect.element(cell('more, line 2: 13')).toBeVisible();
    session.changeRows((entry) => first && entry.removeRow(first));
    await expect.element(page.getByText('1 line', { exact: true })).toBeVisible();
    await expect.element(cell('more, line 1: 6')).toBeVisible();
  });
});
