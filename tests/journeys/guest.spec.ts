import { randomUUID } from 'node:crypto';
import { expect, type Page } from '@playwright/test';
import { at, fromHere, make, test, visit } from './helpers';
import { field, lookupOf, planOf } from '../support/definitions';

/** Whoever has not signed in. */
const nobody = { storageState: { cookies: [], origins: [] } };

/** Makes an invitation to what stands on the page; gives its link. */
async function inviteGuest(page: Page, saves: string): Promise<string> {
  await page.getByRole('button', { name: 'Invite a guest' }).click();
  await page.getByLabel('Who it is for').fill('Ada');
  await page.getByLabel('Saves allowed').fill(saves);
  await page.getByRole('button', { name: 'Create link' }).click();
  const link = await page.getByRole('textbox', { name: 'Link' }).inputValue();
  return new URL(link).pathname;
}

test('H4 a guest corrects one outside record by a link, and reaches no other', async ({
  page,
  browser,
}) => {
  const switches = { system: 'register', trouble: 'none', slow: '0', share: '100' };
  await page.request.post(`${process.env.UNISOR_SIMULATORS}/`, { form: switches });
  await visit(page, '/forms/member_details?key=VTW-217');
  await expect(page.getByLabel('Phone')).toHaveValue(/^555-/);
  const link = await inviteGuest(page, '1');

  const context = await browser.newContext(nobody);
  const guest = await context.newPage();
  const opening = guest.waitForResponse((response) => response.url().endsWith('/open'));
  await guest.goto(at(link), { waitUntil: 'networkidle' });
  // The guest's browser is told of what the form needs, and not how the register is asked.
  const { sources } = (await (await opening).json()) as {
    sources: { tables: { key: string }[]; queries: { key: string; text: string }[] };
  };
  expect(sources.tables.map(({ key }) => key)).not.toContain('loan');
  expect(sources.queries).toMatchObject([{ key: 'member_by_code', text: '' }]);
  await expect(guest.getByText('1 save is left')).toBeVisible();
  await expect(guest.getByLabel('Phone')).toHaveValue(/^555-/);
  // Nothing else of the house is to be seen.
  await expect(guest.getByRole('navigation')).toHaveCount(0);
  await guest.getByLabel('Phone').fill('555-0142');
  await guest.getByRole('button', { name: 'Write back' }).click();
  await expect(guest.getByText('Written back: 1 field.')).toBeVisible();

  // The link does not write again, nor for another member; altered, it opens nothing.
  const token = link.split('/').at(-1) ?? '';
  const body = { submission: 'again-0000-0001', etag: null, before: {}, values: {} };
  const other = await guest.request.post(at(`/api/guest/${token}/through`), {
    ...fromHere(),
    data: { ...body, key: 'QLO-219' },
  });
  expect(other.status()).toBe(403);
  await guest.getByLabel('Phone').fill('555-0143');
  await guest.getByRole('button', { name: 'Write back' }).click();
  await expect(guest.getByRole('alert')).toContainText('has been used up');
  await guest.goto(at(`${link.slice(0, -2)}xx`));
  await expect(guest.getByText('This link does not work.')).toBeVisible();
  // Without the effort of a browser nothing is answered.
  const stranger = await page.request.post(at(`/api/guest/${token}/read`), {
    ...fromHere(),
    data: {},
  });
  expect(stranger.status()).toBe(403);
  await context.close();
});

test('H4 a guest completes one record of a table; the invitation is taken back', async ({
  page,
  browser,
}) => {
  await visit(page, '/tables/loan/records/2');
  const link = await inviteGuest(page, '5');
  const context = await browser.newContext(nobody);
  const guest = await context.newPage();
  await guest.goto(at(link), { waitUntil: 'networkidle' });
  await guest.getByLabel('Note').fill('Fetched by Ada');
  await guest.keyboard.press('Control+Enter');
  await expect(guest.getByText('Thank you. You can close this page now.')).toBeVisible();

  await visit(page, '/tables/loan/records/2');
  await expect(page.getByRole('table').last()).toContainText('guest Ada');
  await visit(page, '/activity');
  const row = page.getByRole('row', { name: /Ada Lend music/ });
  await expect(row).toContainText('1 of 5');
  await row.getByRole('button', { name: 'Revoke' }).click();
  await expect(row).toContainText('revoked');
  await guest.goto(at(link));
  await expect(guest.getByText('This invitation was withdrawn.')).toBeVisible();
  await context.close();
});

test('H7 anybody adds a record by a public link, and reaches nothing else', async ({
  page,
  browser,
}) => {
  await visit(page, '/forms');
  const row = page.getByRole('row', { name: /^Receive copies/ });
  await row.getByRole('button', { name: 'Public link' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('Records in all').fill('2');
  await dialog.getByLabel('What they read afterwards').fill('The library thanks you.');
  await dialog.getByRole('button', { name: 'Create link' }).click();
  const link = new URL(await dialog.getByRole('textbox', { name: 'Link' }).inputValue()).pathname;

  const context = await browser.newContext(nobody);
  const guest = await context.newPage();
  await guest.goto(at(link), { waitUntil: 'networkidle' });
  await guest
    .getByRole('combobox', { name: 'Code' })
    .or(guest.getByLabel('Code'))
    .first()
    .fill('SC-00044');
  await guest.keyboard.press('Tab');
  const saved = guest.waitForResponse((response) => response.url().endsWith('/entries'));
  await guest.keyboard.press('Control+Enter');
  const answer = (await (await saved).json()) as { receipt: { records: object[] } };
  expect(answer.receipt.records).toEqual([]);
  await expect(guest.getByText('The library thanks you.')).toBeVisible();
  await expect(guest.getByRole('navigation')).toHaveCount(0);
  await expect(guest.getByRole('link')).toHaveCount(0);

  // The link opens no record, and its cookie nothing else.
  const token = link.split('/').at(-1) ?? '';
  const forged = {
    submission: randomUUID(),
    edition: 1,
    values: {},
    record: { id: 1, version: 1 },
  };
  const change = await guest.request.post(at(`/api/guest/${token}/entries`), {
    ...fromHere(),
    data: forged,
  });
  expect(change.status()).toBe(403);
  expect((await guest.request.get(at('/api/tables'))).status()).toBe(401);
  await guest.goto(at('/tables/score'), { waitUntil: 'networkidle' });
  await expect(guest.getByRole('heading', { name: 'Sign in' })).toBeVisible();
  await context.close();
});

test('H7 a guest is shown, and finds by, only the columns that the designer chose for guests', async ({
  page,
  browser,
}) => {
  const text = { kind: 'text', format: 'plain', length: 80 };
  const name = { key: 'name', label: 'Name', type: text, required: true, unique: false };
  const tableOf = (key: string, columns: object[]) =>
    make(page, '/api/tables', { key, title: key, display: ['name'], indexes: [], columns });
  await tableOf('helper', [name, { ...name, key: 'phone', label: 'Phone', required: false }]);
  const type = { kind: 'reference', table: 'helper' };
  await tableOf('helping', [name, { ...name, key: 'helper', label: 'Helper', type }]);
  for (const [who, phone] of [
    ['Ada Brann', '555-0171'],
    ['Ada Quist', '555-0172'],
  ]) {
    await make(page, '/api/tables/helper/records', { values: { name: who, phone } });
  }
  const plan = planOf('helping', [
    field('name', { label: 'Name', savesTo: 'name', required: true }),
    field('helper', {
      ...{ label: 'Helper', savesTo: 'helper', required: true },
      choices: lookupOf('helper', { shown: ['name', 'phone'] }),
    }),
  ]);
  await make(page, '/api/forms', { table: 'helping', key: 'helping', title: 'Helping', plan });
  await visit(page, '/forms/helping/design');
  await page.locator('[data-cell="helper source"]').click();
  await page.getByLabel('Guests see other columns').check();
  await page.getByRole('button', { name: 'Remove the column Phone' }).last().click();
  await page.getByRole('button', { name: 'Publish edition 1' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Publish edition 1' }).click();
  await expect(page.getByRole('link', { name: 'Fill in' })).toBeVisible();

  const context = await browser.newContext(nobody);
  const guest = await context.newPage();
  const wish = { form: 'helping', adds: true, perHour: 9, message: '', note: '', days: 1, uses: 2 };
  const { link } = await make<{ link: string }>(page, '/api/invitations', wish);
  await guest.goto(at(new URL(link, at('/')).pathname), { waitUntil: 'networkidle' });
  const box = guest.getByRole('combobox', { name: 'Helper' });
  await box.fill('ada');
  await expect(guest.getByRole('option')).toHaveCount(2);
  await expect(guest.getByRole('option').first()).toHaveText(/^\s*Ada Brann\s*$/);
  await box.fill('0172');
  await expect(guest.getByRole('option')).toHaveCount(0);
  await context.close();

  // Whoever has signed in is shown both, and finds by either.
  await visit(page, '/forms/helping');
  await page.getByRole('combobox', { name: 'Helper' }).fill('0172');
  await expect(page.getByRole('option')).toHaveText(/Ada Quist\s*555-0172/);
});
