import { expect } from '@playwright/test';
import { at, choose, fromHere, test, visit } from './helpers';

interface Row {
  id: number;
  version: number;
}

test('I1–I5 the rows of a table are asked, kept as they were asked, and change with the next form', async ({
  page,
  context,
}) => {
  const rows = at('/api/tables/check_question/records');
  const made = await page.request.post(rows, {
    ...fromHere(),
    data: {
      values: {
        ...{ checklist: 'chamber_hall', place: 3, heading: 'The way in', code: 'ramp', must: true },
        ...{
          question: 'Is the ramp dry?',
          kind: 'yes_no',
          asked_when: 'lift = false',
          points: '1',
        },
      },
    },
  });
  const row = (await made.json()) as Row;

  await visit(page, '/forms/hall_check');
  await expect(page.getByText('The way in')).toHaveCount(0);
  await page.getByLabel('Open-air stage').check();
  await expect(page.getByText('The ground', { exact: true })).toBeVisible();
  await page.getByLabel('Anything else?').fill('Bring a torch.');
  await page.getByLabel('Chamber hall').check();
  // The cursor stays where it was, and so does the answer to what both checklists ask.
  await expect(page.getByText('The way in', { exact: true })).toBeVisible();
  await expect(page.getByLabel('Chamber hall')).toBeFocused();
  await expect(page.getByLabel('Anything else?')).toHaveValue('Bring a torch.');
  await expect(page.getByText('The ground', { exact: true })).toHaveCount(0);

  const ramp = page.getByRole('radiogroup', { name: 'Is the ramp dry?' });
  await expect(ramp).toHaveCount(0);
  await page.getByRole('radiogroup', { name: 'Is there a lift?' }).getByLabel('no').check();
  await expect(ramp).toBeVisible();
  await ramp.getByLabel('yes').check();
  const field = (label: string) => page.getByLabel(label, { exact: true });
  await field('How wide is the narrowest door? (cm)').fill('20');
  await field('How many steps are there?').fill('4');
  await page.getByLabel('Radiators').check();
  await page
    .getByRole('radiogroup', { name: 'How steady is the temperature?' })
    .getByLabel('4', { exact: true })
    .check();
  await page.getByRole('radiogroup', { name: 'Is it locked at night?' }).getByLabel('no').check();
  await field('Yard').check();
  await field('Hall').fill('Assembly Room');
  await choose(page, page.getByRole('combobox', { name: 'Town' }), 'Velden');
  await page.keyboard.press('Control+Enter');
  await expect(page.getByRole('alert')).toContainText('must be from 60 to 400');
  await field('How wide is the narrowest door? (cm)').fill('110');
  await page.keyboard.press('Control+Enter');
  await expect(
    page.getByText(/^Saved\. Thank you, .+\. Assembly Room has 12\.00 points\./),
  ).toBeVisible();
  const sheet = page.getByRole('link', { name: /^Assembly Room/ }).first();
  const record = /records\/(\d+)/.exec((await sheet.getAttribute('href')) ?? '')?.[1];

  // Another form is open while the question is reworded: it says so, and takes the new words over.
  const other = await context.newPage();
  await visit(other, '/forms/hall_check');
  await other.getByLabel('Chamber hall').check();
  await other.getByRole('radiogroup', { name: 'Is there a lift?' }).getByLabel('no').check();
  await expect(other.getByText('Is the ramp dry?')).toBeVisible();
  const change = { question: 'Is the ramp dry and swept?' };
  await page.request.patch(`${rows}/${row.id}`, {
    ...fromHere(),
    data: { version: row.version, values: change },
  });
  await other.evaluate(() => window.dispatchEvent(new Event('focus')));
  await other.getByRole('button', { name: 'Take over the new ones' }).click();
  await expect(other.getByText('Is the ramp dry and swept?')).toBeVisible();
  const lift = other.getByRole('radiogroup', { name: 'Is there a lift?' });
  await expect(lift.getByLabel('no')).toBeChecked();
  await other.close();

  await page.request.delete(`${rows}/${row.id}?version=2`, fromHere());
  await visit(page, `/forms/hall_check?record=${record}`);
  await expect(
    page.getByRole('radiogroup', { name: 'Is the ramp dry?' }).getByLabel('yes'),
  ).toBeChecked();
  await expect(page.getByLabel('Anything else?')).toHaveValue('Bring a torch.');
});

test('I6 a designer has a table made for the answers, and sees the form ask', async ({ page }) => {
  const plain = { required: true, unique: false };
  const text = { kind: 'text', format: 'plain', length: 80 };
  await page.request.post(at('/api/tables'), {
    ...fromHere(),
    data: {
      ...{ key: 'stall', title: 'Stall', display: ['name'], indexes: [] },
      columns: [{ ...plain, key: 'name', label: 'Name', type: text }],
    },
  });
  await page.request.post(at('/api/forms'), {
    ...fromHere(),
    data: { table: 'stall', key: 'stall_check', title: 'Stall check' },
  });
  await visit(page, '/forms/stall_check/design');
  await page.getByRole('button', { name: 'Ask questions' }).first().click();
  await page.getByRole('button', { name: 'Make a table for the answers' }).click();
  await expect(page.getByLabel('Table of questions')).toHaveValue('check_question');
  await expect(page.getByRole('region', { name: 'Live form' }).getByText('The roof')).toBeVisible();
  await expect(page.getByText('nothing to fix')).toBeVisible();
});
