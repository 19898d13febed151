import { expect, type Page } from '@playwright/test';
import { choose, test, visit } from './helpers';

/** Sets the switches of a simulated system, as its own page does. */
async function trouble(page: Page, system: string, what: string): Promise<void> {
  const form = { system, trouble: what, slow: '0', share: '100' };
  await page.request.post(`${process.env.UNISOR_SIMULATORS}/`, { form });
}

test('H5 an outside system fails and recovers while a form is filled, which goes on without it', async ({
  page,
}) => {
  await trouble(page, 'valuation', 'error 500');
  await visit(page, '/forms/condition_report');
  await choose(page, page.getByRole('combobox', { name: 'Instrument', exact: true }), 'A-00008');
  const valued = page.locator('[data-field="valued_at"]');
  await expect(valued).toContainText('Valuation Desk answered with status 500.');
  // The rest of the form is as it is: bookings are read, fields are filled.
  await expect(page.getByRole('table', { name: 'Bookings at the Repair Workshop' })).toContainText(
    'crack glued',
  );
  await page.getByLabel('Condition now').selectOption('worn');
  await page.getByLabel('Damage found').selectOption('yes');
  await page.getByLabel('Kind of damage').selectOption('dent');
  await page.getByLabel('Repair cost').fill('12');

  await trouble(page, 'valuation', 'none');
  await valued.getByRole('button', { name: 'Try again' }).click();
  await expect(valued.locator('output')).toHaveText(/^[\d,]+\.\d\d$/);
  await expect(valued).toContainText('from outside just now');

  // What the save tells the register waits while that is away, and is delivered when it is back.
  await trouble(page, 'register', 'no answer');
  await page.getByRole('button', { name: 'What will be written' }).click();
  await expect(page.getByLabel('What will be written', { exact: true })).toContainText(
    'sent to Member Register',
  );
  await page.keyboard.press('Control+Enter');
  await expect(page.getByText('Saved.')).toBeVisible();
  await visit(page, '/outside/outbox');
  await expect(page.getByRole('row', { name: /A-00008/ })).toContainText('is not responding');
  await trouble(page, 'register', 'none');
  await page
    .getByRole('row', { name: /A-00008/ })
    .getByRole('button', { name: 'Try again' })
    .click();
  await expect(page.getByRole('row', { name: /A-00008/ })).toContainText('sent');
});

test('H1, H2 a query is made by trying it out, and its columns are taken from the answer', async ({
  page,
}) => {
  await trouble(page, 'register', 'none');
  await visit(page, '/outside/queries/new');
  await page.getByLabel('Title').fill('Member phones');
  await page.getByLabel('Connection').selectOption('member_register');
  await page.getByLabel('Address below the base').fill('members?search={words}');
  await page.getByLabel('Address below the base').blur();
  await page.getByLabel('Try Words with').fill('velden');
  await page.getByRole('button', { name: 'Try it out' }).click();
  await page.getByRole('button', { name: 'rows from here' }).click();
  const answer = page.getByRole('listitem').filter({ hasText: /^phone/ });
  await answer.getByRole('button', { name: 'make it a column' }).click();
  await expect(page.getByRole('columnheader', { name: 'Phone' })).toBeVisible();
  await page.getByRole('button', { name: 'Create query' }).click();
  await expect(page.getByRole('heading', { name: 'Member phones' })).toBeVisible();
  await visit(page, '/outside/member_register');
  await expect(page.getByRole('img', { name: /Response times of the last/ })).toBeVisible();
  await expect(page.getByRole('link', { name: 'Member phones' })).toBeVisible();
});

test('H1 a host that is not allowed is said as it is typed', async ({ page }) => {
  await visit(page, '/outside/new');
  await page.getByLabel('Title').fill('Elsewhere');
  await page.getByLabel('Base address').fill('http://192.0.2.7/api');
  await page.getByRole('button', { name: 'Create connection' }).click();
  await expect(page.getByRole('alert')).toContainText('192.0.2.7 is not an allowed host');
  await expect(page.getByLabel('Base address')).toHaveValue('http://192.0.2.7/api');
});

test('H3 a member is changed in the register itself, also when another person has done so meanwhile', async ({
  page,
}) => {
  await trouble(page, 'register', 'none');
  await visit(page, '/forms/member_details');
  await page.getByLabel('Member code').fill('NO-SUCH');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('alert')).toContainText(
    'Member Register has no record for Member code “NO-SUCH”.',
  );
  await page.getByLabel('Member code').fill('VTW-217');
  await page.keyboard.press('Enter');
  await expect(page.getByLabel('Phone')).toHaveValue(/^555-/);
  await page.getByLabel('Phone').fill('555-0160');
  await page.getByLabel('Contact').fill('Ada Quist');

  // Another person changes the same phone, and the e-mail address besides.
  const address = `${process.env.UNISOR_SIMULATORS}/register/members/VTW-217`;
  const { version } = (await (await page.request.get(address)).json()) as { version: number };
  await page.request.put(address, {
    headers: { 'if-match': `"${version}"` },
    data: { contact: { phone: '555-0177', email: 'winds@velden.example.org' } },
  });
  await page.keyboard.press('Control+Enter');
  const clash = page.getByRole('region', { name: 'Changed meanwhile' });
  await expect(clash.getByRole('row', { name: /Phone/ })).toContainText('555-0177');
  await clash.getByRole('button', { name: 'mine' }).click();
  await expect(page.getByLabel('E-mail')).toHaveValue('winds@velden.example.org');

  // The register fails: what was typed stays, and is written when it is back.
  await trouble(page, 'register', 'error 500');
  await page.getByRole('button', { name: 'Write back' }).click();
  await expect(page.getByRole('alert')).toContainText('Member Register answered with status 500.');
  await expect(page.getByLabel('Phone')).toHaveValue('555-0160');
  await trouble(page, 'register', 'none');
  // The register had taken it all the same: its answer was lost, not the change.
  await page.getByRole('button', { name: 'Write back' }).click();
  await expect(page.getByText('The system has what you wrote.')).toBeVisible();
  await page.getByLabel('Contact').fill('Odile Quist');
  await page.keyboard.press('Control+Enter');
  await expect(page.getByText('Written back: 1 field.')).toBeVisible();
});

test('G10 buttons of a form set a field, and send to an outside system', async ({ page }) => {
  await trouble(page, 'register', 'none');
  await visit(page, '/forms/condition_report');
  const wornOut = page.getByRole('button', { name: 'Worn out, ask the register' });
  await expect(wornOut).toHaveCount(0);
  await choose(page, page.getByRole('combobox', { name: 'Instrument', exact: true }), 'A-00015');
  await wornOut.click();
  await expect(page.getByLabel('Condition now')).toHaveValue('worn');
  await expect(page.getByText('Sent; see the outbox.')).toBeVisible();
  await visit(page, '/outside/outbox');
  await expect(page.getByRole('row', { name: /A-00015.*Is it to be replaced/ })).toContainText(
    'sent',
  );

  // A designer makes one, and tries it where nothing is written.
  await visit(page, '/forms/receive_copies/design');
  await page.getByLabel('Add something that happens').selectOption('button');
  await page.getByLabel('It says').fill('A dozen');
  await page.getByLabel('It says').press('Tab');
  await page.getByLabel('Another step of A dozen').selectOption('set');
  await page.getByLabel('Field of step 1').selectOption('quantity');
  const formula = page.locator('#button-0-0-to .cm-content, .cm-content').last();
  await expect(page.getByLabel('Live form').getByRole('button', { name: 'A dozen' })).toBeVisible();
  await expect(formula).toBeVisible();
});

test('H1, H5 a database outside is tried on its page; while it is closed the form goes on', async ({
  page,
}) => {
  await trouble(page, 'valuation', 'none');
  await visit(page, '/outside/repair_workshop');
  await page.getByRole('button', { name: 'Test connection' }).click();
  await expect(page.getByText(/It can be signed in to, and answers/)).toBeVisible();
  await trouble(page, 'workshop', 'no answer');
  await page.getByRole('button', { name: 'Test connection' }).click();
  await expect(page.getByRole('alert')).toContainText('this account is locked');
  await expect(page.getByRole('table').last()).toContainText('this account is locked');

  await visit(page, '/forms/condition_report');
  await choose(page, page.getByRole('combobox', { name: 'Instrument', exact: true }), 'A-00022');
  await expect(page.getByText(/Repair Workshop.*locked/)).toBeVisible();
  await expect(page.locator('[data-field="valued_at"] output')).toHaveText(/^[\d,]+\.\d\d$/);
  await page.getByLabel('Condition now').selectOption('good');
  await page.keyboard.press('Control+Enter');
  await expect(page.getByText('Saved.')).toBeVisible();

  // Another person books the instrument, and the workshop opens again.
  await trouble(page, 'workshop', 'none');
  const booked = { system: 'workshop', alter: 'A-00022' };
  await page.request.post(`${process.env.UNISOR_SIMULATORS}/`, { form: booked });
  // It was left alone for a while; whoever tries it ends that.
  await visit(page, '/outside/repair_workshop');
  await page.getByRole('button', { name: 'Test connection' }).click();
  await expect(page.getByText(/It can be signed in to, and answers/)).toBeVisible();
  await visit(page, '/forms/condition_report');
  await choose(page, page.getByRole('combobox', { name: 'Instrument', exact: true }), 'A-00022');
  const bookings = page.getByRole('table', { name: 'Bookings at the Repair Workshop' });
  await expect(bookings).toContainText('booked');
});

test('H2 a member is found outside on a later page, and brings code, contact and e-mail along', async ({
  page,
}) => {
  await trouble(page, 'register', 'none');
  await visit(page, '/forms/ensemble');
  const member = page.getByRole('combobox', { name: 'In the Member Register' });
  await member.click();
  const list = page.getByRole('listbox');
  await expect(page.getByText('50 of 420 shown')).toBeVisible();
  await page.keyboard.press('End');
  await list.getByRole('option').last().scrollIntoViewIfNeeded();
  await expect(page.getByText('100 of 420 shown')).toBeVisible();
  const sixtieth = list.getByRole('option').nth(59);
  const code = /[A-Z]+-\d+/.exec((await sixtieth.textContent()) ?? '')?.[0] ?? '';
  await sixtieth.click();
  await expect(page.getByLabel('Member code')).toHaveValue(code);
  await expect(page.getByLabel('Contact', { exact: true })).not.toHaveValue('');
  await expect(page.getByLabel('E-mail')).toHaveValue(/@.*example\.org$/);

  // While the register is away nothing is brought, what stands there stays, and all else can be filled in.
  await page.getByLabel('Name', { exact: true }).fill('Sallow Quay Octet');
  await trouble(page, 'register', 'no answer');
  await member.fill('velden');
  await expect(page.getByText(/Member Register is not responding/)).toBeVisible();
  await member.press('Escape');
  await expect(page.getByLabel('Member code')).toHaveValue(code);
  await trouble(page, 'register', 'none');
});

test('a form that passes through has its own buttons, and writes back what they set', async ({
  page,
}) => {
  await trouble(page, 'register', 'none');
  await visit(page, '/forms/member_details/design');
  const buttons = page.getByRole('group', { name: 'Buttons' });
  await page.getByLabel('Add something that happens').selectOption('button');
  await page.getByLabel('It says').fill('Forget the phone');
  await page.getByLabel('It says').press('Tab');
  const step = buttons.getByLabel('Another step of Forget the phone');
  await step.selectOption('set');
  await buttons.getByLabel('Field of step 1').selectOption('phone');
  await step.selectOption('save');
  await page.keyboard.press('Control+s');
  const dialog = page.getByRole('dialog');
  await dialog.getByRole('button', { name: /^Publish edition/ }).click();
  await expect(dialog).toHaveCount(0);
  await visit(page, '/forms/member_details');
  await page.getByLabel('Member code').fill('NCP-232');
  await page.keyboard.press('Enter');
  await expect(page.getByLabel('Phone')).toHaveValue(/^555-/);
  await page.getByRole('button', { name: 'Forget the phone' }).click();
  await expect(page.getByText('Written back: 1 field.')).toBeVisible();
  await expect(page.getByLabel('Phone')).toHaveValue('');
});
