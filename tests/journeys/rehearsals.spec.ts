import { expect } from '@playwright/test';
import { field, lookupOf, planOf } from '../support/definitions';
import { choose, make, test, visit } from './helpers';

test('G11 a rehearsal catches a wrong change of a formula before it is published', async ({
  page,
}) => {
  const text = { kind: 'text', format: 'plain', length: 80 };
  const column = (key: string, label: string, type: object) => {
    return { key, label, type, required: false, unique: false };
  };
  const name = column('name', 'Name', text);
  const whole = { kind: 'whole' };
  const tableOf = (key: string, title: string, columns: object[]) =>
    make(page, '/api/tables', { key, title, display: ['name'], indexes: [], columns });
  await tableOf('stand', 'Stand', [name, column('rate', 'Rate', whole)]);
  await tableOf('stand_hire', 'Stand hire', [
    ...[name, column('stand', 'Stand', { kind: 'reference', table: 'stand' })],
    ...[column('weeks', 'Weeks', whole), column('fee', 'Fee', whole)],
  ]);
  const oak = { values: { name: 'Oak stand', rate: 3 } };
  const { id } = await make<{ id: number }>(page, '/api/tables/stand/records', oak);
  const stored = { name: 'An earlier one', stand: id, weeks: 2, fee: 6 };
  await make(page, '/api/tables/stand_hire/records', { values: stored });
  const plan = planOf('stand_hire', [
    field('name', { label: 'Name', savesTo: 'name' }),
    field('stand', { label: 'Stand', savesTo: 'stand', choices: lookupOf('stand') }),
    field('weeks', { label: 'Weeks', savesTo: 'weeks' }),
    field('fee', { label: 'Fee', savesTo: 'fee', computes: 'stand.rate * weeks' }),
  ]);
  const form = { table: 'stand_hire', key: 'stand_hire', title: 'Stand hire', plan };
  await make(page, '/api/forms', form);
  await make(page, '/api/forms/stand_hire/editions', { revision: 1 });

  await visit(page, '/forms/stand_hire/design');
  const live = page.getByRole('region', { name: 'Live form' });
  await choose(page, live.getByRole('combobox', { name: 'Stand', exact: true }), 'oak');
  const weeks = live.getByLabel('Weeks', { exact: true });
  await weeks.fill('4');
  await weeks.press('Tab');
  await expect(live.getByText('12', { exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'Keep as a rehearsal' }).click();
  await page.getByRole('dialog').getByLabel('Name').fill('Four weeks of oak');
  await page.getByRole('button', { name: 'Keep it' }).click();
  const checkup = page.getByRole('region', { name: 'Checkup' });
  await expect(checkup.getByText('1 holds')).toBeVisible();

  // A formula is changed wrongly: it is seen at once, and stands in the way of publishing.
  await page.locator('[data-cell="fee source"]').click();
  const formula = page.getByRole('textbox', { name: 'Computed as' });
  await formula.click();
  await page.keyboard.press('ControlOrMeta+a');
  await page.keyboard.type('stand.rate * weeks + 1');
  await page.keyboard.press('Tab');
  await expect(checkup.getByText('1 does not hold')).toBeVisible();
  await page.getByRole('button', { name: 'Publish edition 2' }).click();
  const publish = page.getByRole('dialog', { name: 'Publish edition 2' });
  await expect(publish.getByText('Four weeks of oak')).toBeVisible();
  await expect(publish.getByRole('button', { name: 'Publish edition 2' })).toBeDisabled();
  // So are the records that are stored already.
  const hint = publish.getByRole('region', { name: 'Stored records' });
  await expect(hint).toContainText('Some stored records would not fit:');
  await expect(hint).toContainText('Fee: would come out otherwise (1 record)');
  await page.keyboard.press('Escape');

  // It says what came otherwise, and after which step.
  await checkup.getByRole('button', { name: 'Rehearsals' }).click();
  const rehearsals = page.getByRole('dialog', { name: 'Rehearsals' });
  const fee = rehearsals.getByRole('row', { name: /^Fee/ });
  await expect(fee).toContainText('13');
  await expect(fee).toContainText('Weeks became 4');
  // It may be more: then it holds, but what is written does not.
  await fee.getByRole('combobox').selectOption('at_least');
  await expect(rehearsals.getByText('1 thing came otherwise')).toBeVisible();
  // One key accepts what comes.
  await rehearsals.getByRole('button', { name: 'Four weeks of oak' }).press('a');
  await expect(rehearsals.getByRole('cell', { name: 'holds', exact: true })).toBeVisible();
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'Publish edition 2' }).click();
  await publish.getByRole('button', { name: 'Publish edition 2' }).click();
  await expect(page.getByText('Edition 2 is published.')).toBeVisible();
});
