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
  // A sheet that was left half filled is found again, its questions with it.
  await expect(page.getByText(/^Draft kept/)).toBeVisible();
  await page.reload({ waitUntil: 'networkidle' });
  await expect(field('Hall')).toHaveValue('Assembly Room');
  await expect(ramp.getByLabel('yes')).toBeChecked();
  await expect(field('How many steps are there?')).toHaveValue('4');
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

test('I2 H7 a guest answers by a public link until it closes, and somebody is told by e-mail', async ({
  page,
  browser,
}) => {
  await visit(page, '/forms');
  const row = page.getByRole('row', { name: /^Hall check/ });
  await row.getByRole('button', { name: 'Public link' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('Records in all').fill('1');
  await dialog.getByRole('button', { name: 'Create link' }).click();
  const link = new URL(await dialog.getByRole('textbox', { name: 'Link' }).inputValue()).pathname;

  const context = await browser.newContext({ storageState: { cookies: [], origins: [] } });
  const guest = await context.newPage();
  await guest.goto(at(link), { waitUntil: 'networkidle' });
  await guest.getByLabel('Open-air stage').check();
  await expect(guest.getByText('The ground', { exact: true })).toBeVisible();
  await choose(guest, guest.getByRole('combobox', { name: 'Town' }), 'Velden');
  await guest.getByLabel('Hall', { exact: true }).fill('Ferry Meadow');
  await guest.getByLabel('Checked by').fill('A passer-by');
  const firm = guest.getByRole('radiogroup', { name: /firm/ });
  await firm.getByLabel('5', { exact: true }).check();
  await guest.getByRole('radiogroup', { name: 'Is there a roof?' }).getByLabel('no').check();
  await guest.getByLabel('How much current is there? (A)').fill('63');
  await guest.keyboard.press('Control+Enter');
  await expect(guest.getByText(/Thank you, A passer-by/)).toBeVisible();
  await guest.goto(at(link), { waitUntil: 'networkidle' });
  await expect(guest.getByText('This link has taken all the records it may.')).toBeVisible();
  await context.close();

  await expect(async () => {
    const caught = await (await page.request.get(`${process.env.UNISOR_SIMULATORS}/`)).text();
    expect(caught).toContain('Hall check: Ferry Meadow. A passer-by has checked Ferry Meadow');
  }).toPass();
  await visit(page, '/outside/outbox');
  const sent = page.getByRole('row', { name: /Hall check: Ferry Meadow/ });
  await expect(sent).toContainText('sent');
});

test('I6 questions are edited beside the sheet, mended row by row, and a set is copied', async ({
  page,
}) => {
  const rows = at('/api/tables/check_question/records');
  const wrong = { checklist: 'open_air_stage', place: 90, code: 'colour', kind: 'one_of' };
  const made = await page.request.post(rows, {
    ...fromHere(),
    data: { values: { ...wrong, heading: 'The end', question: 'Which colour is it?' } },
  });
  const { id } = (await made.json()) as Row;

  await visit(page, '/tables/check_question');
  await page.getByRole('link', { name: 'Questions', exact: true }).click();
  await expect(page.getByText('1 row cannot be asked')).toBeVisible();
  const sheet = page.getByRole('region', { name: 'The sheet as it would be' });
  await sheet.getByLabel('Open-air stage').check();
  await expect(sheet.getByText('The ground', { exact: true })).toBeVisible();
  await expect(sheet.getByText('Which colour is it?')).toHaveCount(0);
  await page.getByRole('button', { name: 'Ask for a short text instead' }).click();
  await expect(page.getByText('Every row can be asked')).toBeVisible();
  await expect(sheet.getByLabel('Which colour is it?')).toBeVisible();
  // What was chosen in the sheet stays.
  await expect(sheet.getByLabel('Open-air stage')).toBeChecked();

  await page.getByRole('button', { name: 'Copy a set' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('All questions of').selectOption('Chamber hall');
  await dialog.getByRole('combobox', { name: 'Checklist' }).selectOption('Chamber hall');
  await dialog.getByRole('button', { name: 'Copy', exact: true }).click();
  // A code stands twice in the set now: each row says so, and one step takes the copy back.
  await expect(page.getByText(/^1\d rows cannot be asked/)).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByText('Every row can be asked')).toBeVisible();
  await page.request.delete(`${rows}/${id}?version=2`, fromHere());
});
