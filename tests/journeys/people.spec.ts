import { expect, type Browser, type Locator, type Page } from '@playwright/test';
import { generate } from 'otplib';
import { at, cell, choose, fromHere, test, visit } from './helpers';

const nobody = { storageState: { cookies: [], origins: [] } };
const password = 'seven quiet lanterns over Corran';

/** Adds a person as the keeper; gives the link with which they choose a password. */
async function add(page: Page, shown: string, name: string, region: string): Promise<string> {
  await visit(page, '/people');
  await page.getByRole('button', { name: 'Add a person' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('Name, as others see it').fill(shown);
  await dialog.getByLabel('Name to sign in with').fill(name);
  await dialog.getByLabel('Stands for a record of').selectOption({ label: 'Region' });
  await choose(page, dialog.getByRole('combobox', { name: 'Record', exact: true }), region);
  await dialog.getByRole('checkbox', { name: 'Desk clerk' }).check();
  await dialog.getByRole('button', { name: 'Add and get a link' }).click();
  const link = await dialog.getByRole('textbox', { name: 'Link' }).inputValue();
  await dialog.getByRole('button', { name: 'Done' }).click();
  await expect(page.getByRole('cell', { name: shown, exact: true })).toBeVisible();
  return link;
}

/** A browser of somebody's own, in which they have chosen their password. */
async function welcomed(browser: Browser, link: string): Promise<Page> {
  const page = await (await browser.newContext(nobody)).newPage();
  await page.goto(link, { waitUntil: 'networkidle' });
  await page.getByLabel('New password').fill(password);
  await page.getByRole('button', { name: 'Save password and sign in' }).click();
  await expect(page.getByRole('link', { name: /^Your account/ })).toBeVisible();
  return page;
}

/** What a lookup offers, opened. */
async function offeredAt(page: Page, name: string): Promise<Locator> {
  const box = page.getByRole('combobox', { name });
  await box.click();
  return page.locator(`#${await box.getAttribute('id')}-list [role=option]`);
}

test('L1–L5 a keeper lets two clerks in; each lends in their own region and sees nothing else', async ({
  page,
  browser,
}) => {
  test.setTimeout(240_000);
  // A role with rights by record and a hidden column, begun from that of the lending clerks.
  await visit(page, '/people/rights?role=lending_clerk');
  await page.getByRole('button', { name: 'Add a role' }).click();
  await page.getByRole('dialog').getByLabel('Name').fill('Desk clerk');
  await page.getByRole('button', { name: 'Add role' }).click();
  await expect(page.getByRole('link', { name: 'Desk clerk' })).toHaveAttribute(
    'aria-current',
    'page',
  );
  await page.getByRole('button', { name: 'Records of Loan', exact: true }).click();
  const when = page.getByLabel('Only records where …');
  await when.fill('ensemble.town.region = person.nothing');
  await expect(page.getByText('cannot be part of a condition on Loan')).toBeVisible();
  await when.fill('ensemble.town.region = person.region');
  await expect(page.getByText('cannot be part of a condition on Loan')).toHaveCount(0);
  await page.getByRole('button', { name: 'Columns of Ensemble', exact: true }).click();
  await page.getByLabel('E-mail', { exact: true }).selectOption('hidden');
  await page.getByRole('button', { name: 'Save rights' }).click();
  await expect(page.getByRole('button', { name: 'Save rights' })).toBeDisabled();

  const links = [
    await add(page, 'Maud Ferrin', 'maud', 'North Marches'),
    await add(page, 'Tolland Reeve', 'tolland', 'Corran Vale'),
  ];
  const [maud, tolland] = await Promise.all(links.map((link) => welcomed(browser, link)));
  if (!maud || !tolland) throw new Error('nobody came');

  // Each begins in their own region, and is offered nothing of the other's.
  const loans: string[] = [];
  for (const [clerk, region] of [
    [maud, 'North Marches'],
    [tolland, 'Corran Vale'],
  ] as const) {
    await clerk.goto(at('/forms/lend_music'), { waitUntil: 'networkidle' });
    await expect(clerk.getByRole('combobox', { name: 'Region' })).toHaveValue(region);
    await expect(await offeredAt(clerk, 'Region')).toHaveCount(1);
    await clerk.keyboard.press('Escape');
    for (const name of ['Town', 'Ensemble']) await (await offeredAt(clerk, name)).first().click();
    await clerk.getByLabel('Purpose').selectOption('concert');
    await clerk.getByLabel('Lent on').fill('2027-03-01');
    await cell(clerk, 'Score, new line').focus();
    await clerk.keyboard.type('SC-00012');
    await expect(clerk.locator('#f-lines-cell-list [role=option]')).toHaveCount(1);
    await clerk.keyboard.press('Enter');
    await expect(cell(clerk, 'Copies, line 1')).toBeFocused();
    await clerk.keyboard.press('Control+Enter');
    await expect(clerk.getByText(/records were written/)).toBeVisible();
    const href = await clerk
      .locator('main a[href^="/tables/loan/records/"]')
      .first()
      .getAttribute('href');
    loans.push(href ?? '');
  }
  const [ofMaud = '', ofTolland = ''] = loans;
  expect(ofMaud).not.toBe(ofTolland);

  // The other's record is not there, whichever way one asks.
  for (const address of [ofTolland, `/api${ofTolland}`]) {
    const answer = await maud.request.get(at(address));
    expect(answer.status(), address).toBe(404);
    expect(await answer.text()).not.toContain('Tolland');
  }
  const id = ofTolland.split('/').at(-1);
  const opened = await maud.request.get(at(`/api/forms/lend_music/records/${id}`));
  expect(opened.status()).toBe(404);
  const ensembles = await (await maud.request.get(at('/api/tables/ensemble'))).text();
  expect(ensembles).not.toContain('email');
  for (const shut of ['/people', '/outside', '/forms/lend_music/design']) {
    expect((await maud.request.get(at(shut))).status(), shut).toBe(403);
  }

  // Their own record names them.
  await maud.goto(at(ofMaud), { waitUntil: 'networkidle' });
  await expect(maud.getByText('Maud Ferrin').first()).toBeVisible();

  // The keeper sees both, looks through a clerk's eyes, and reads what was noted.
  await visit(page, '/activity');
  await expect(page.getByText('Tolland Reeve').first()).toBeVisible();
  await visit(page, '/people');
  await page.getByRole('button', { name: 'Change Maud Ferrin' }).click();
  await page.getByRole('button', { name: 'Look through their eyes' }).click();
  await expect(page.getByText('You see every page as Maud Ferrin does.')).toBeVisible();
  await page.goto(at('/tables'), { waitUntil: 'networkidle' });
  await expect(page.getByRole('link', { name: 'People' })).toHaveCount(0);
  const refused = await page.request.post(at('/api/lists'), { ...fromHere(), data: {} });
  expect(refused.status()).toBe(403);
  await page.getByRole('button', { name: 'Back to your own account' }).click();
  await expect(page.getByRole('link', { name: 'People' })).toBeVisible();
  await visit(page, '/activity?of=people');
  await expect(page.getByText('looked through the eyes of Maud Ferrin')).toBeVisible();

  // Locked out, a clerk is sent to sign in, and is not let in.
  await visit(page, '/people');
  await page.getByRole('button', { name: 'Change Tolland Reeve' }).click();
  await page.getByRole('button', { name: 'Lock', exact: true }).click();
  await expect(page.getByRole('cell', { name: 'locked' })).toBeVisible();
  await tolland.goto(at('/tables/score'), { waitUntil: 'networkidle' });
  await expect(tolland.getByRole('heading', { name: 'Sign in' })).toBeVisible();
  await tolland.getByLabel('Name', { exact: true }).fill('tolland');
  await tolland.getByLabel('Password').fill(password);
  await tolland.getByRole('button', { name: 'Sign in', exact: true }).click();
  await expect(tolland.getByRole('alert')).toContainText('locked');
  await maud.context().close();
  await tolland.context().close();
});

test('L1 somebody signs in by name, and comes to where they wanted to go; signed out, they are out', async ({
  browser,
}) => {
  const context = await browser.newContext(nobody);
  const page = await context.newPage();
  await page.goto(at('/tables/score?search=S-0001'), { waitUntil: 'networkidle' });
  await expect(page.getByRole('heading', { name: 'Sign in' })).toBeVisible();
  await page.getByRole('button', { name: 'Sign in as Brida Quist' }).click();
  await expect(page.getByRole('heading', { name: 'Score' })).toBeVisible();
  expect(new URL(page.url()).search).toBe('?search=S-0001');
  await page.getByRole('link', { name: /^Your account/ }).click();
  // What they choose for themselves goes before what the browser asks for, on every page, until they take it back.
  await page.getByLabel(/^Language, and how days/).selectOption('de-DE');
  await expect(page.locator('html')).toHaveAttribute('lang', 'de');
  await page.waitForLoadState('networkidle');
  await page.getByLabel('Zeitzone').selectOption('Europe/Berlin');
  await expect(page.locator('html')).toHaveAttribute('data-zone', 'Europe/Berlin');
  await expect(page.getByRole('heading', { name: 'Sprache und Zeit' })).toBeVisible();
  await page.waitForLoadState('networkidle');
  await page.getByLabel(/^Sprache, und/).selectOption('');
  await expect(page.locator('html')).toHaveAttribute('lang', 'en');
  await page.waitForLoadState('networkidle');
  await page.getByRole('button', { name: 'Sign out' }).click();
  await expect(page.getByRole('heading', { name: 'Sign in' })).toBeVisible();
  await page.goto(at('/tables/score'), { waitUntil: 'networkidle' });
  await expect(page.getByRole('heading', { name: 'Sign in' })).toBeVisible();
  await page.getByLabel('Name', { exact: true }).fill('brida');
  await page.getByLabel('Password').fill('no password at all');
  await page.getByRole('button', { name: 'Sign in', exact: true }).click();
  await expect(page.getByRole('alert')).toContainText('The name or the password is not right.');
  await context.close();
});

test('K4 a program reads and writes with a token, until it is ended', async ({ page }) => {
  await visit(page, '/account');
  await page.getByRole('button', { name: 'Make a token' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('What it is for').fill('night import');
  await dialog.getByRole('button', { name: 'Make a token' }).click();
  const token = await dialog.getByRole('textbox', { name: 'Token' }).inputValue();
  await dialog.getByRole('button', { name: 'Done' }).click();
  const ask = (method: string, path: string, body?: object) =>
    fetch(at(path), {
      method,
      headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
      ...(body ? { body: JSON.stringify(body) } : {}),
    });
  expect((await ask('GET', '/api/tables/maker/records?limit=1')).status).toBe(200);
  const made = await ask('POST', '/api/tables/maker/records', { values: { name: 'Ormsby Reeds' } });
  expect(made.status).toBe(201);
  const { id } = (await made.json()) as { id: number };
  await visit(page, `/tables/maker/records/${id}`);
  await expect(page.getByText('Ottilie Marrable (night import)').first()).toBeVisible();
  await visit(page, '/account');
  await page
    .getByRole('row', { name: /night import/ })
    .getByRole('button', { name: 'End' })
    .click();
  await expect(page.getByText('night import')).toHaveCount(0);
  expect((await ask('GET', '/api/tables/maker/records?limit=1')).status).toBe(401);
});

test('L1 a passkey signs in, once for each challenge; codes from an app are asked for', async ({
  browser,
}) => {
  // Passkeys belong to a name.
  const named = (path: string) => at(path).replace('127.0.0.1', 'localhost');
  const keeper = await browser.newContext();
  const made = await keeper.request.post(at('/api/people'), {
    ...fromHere(),
    data: { name: 'odo', shown: 'Odo Fenn', roles: ['clerk'] },
  });
  const { link } = (await made.json()) as { link: string };
  await keeper.close();
  const context = await browser.newContext(nobody);
  const page = await context.newPage();
  const cdp = await context.newCDPSession(page);
  await cdp.send('WebAuthn.enable');
  await cdp.send('WebAuthn.addVirtualAuthenticator', {
    options: {
      ...{ protocol: 'ctap2', transport: 'internal', hasResidentKey: true },
      ...{ hasUserVerification: true, isUserVerified: true, automaticPresenceSimulation: true },
    },
  });
  await page.goto(link.replace('127.0.0.1', 'localhost'), { waitUntil: 'networkidle' });
  await page.getByLabel('New password').fill(password);
  await page.getByRole('button', { name: 'Save password and sign in' }).click();
  await page.getByRole('link', { name: /^Your account/ }).click();
  await page.getByLabel('Name of the passkey').fill('this laptop');
  await page.getByRole('button', { name: 'Add a passkey' }).click();
  await expect(page.getByRole('cell', { name: 'this laptop' })).toBeVisible();

  await page.getByRole('button', { name: 'Turn on codes from an app' }).click();
  const dialog = page.getByRole('dialog');
  const secret = (await dialog.locator('code').first().innerText()).replace(/\s/g, '');
  await dialog.getByLabel('Code that the app shows now').fill(await generate({ secret }));
  await dialog.getByLabel('Your password').fill(password);
  await dialog.getByRole('button', { name: 'Turn on codes' }).click();
  const recovery = await dialog.locator('li code').first().innerText();
  await dialog.getByRole('button', { name: 'I have written them down' }).click();
  await page.getByRole('button', { name: 'Sign out' }).click();

  const sent = page.waitForRequest((request) => request.url().endsWith('/sign-in/passkey'));
  await page.getByRole('button', { name: 'Use a passkey' }).click();
  await expect(page.getByRole('link', { name: /^Your account/ })).toBeVisible();
  // The same answer once more opens nothing.
  const again = await context.request.post(named('/api/sign-in/passkey'), {
    headers: { origin: new URL(named('/')).origin, 'content-type': 'application/json' },
    data: (await sent).postDataJSON() as object,
  });
  expect(again.status()).toBe(401);

  await page.goto(named('/account'), { waitUntil: 'networkidle' });
  await page.getByRole('button', { name: 'Sign out' }).click();
  await page.getByLabel('Name', { exact: true }).fill('odo');
  await page.getByLabel('Password').fill(password);
  await page.getByRole('button', { name: 'Sign in', exact: true }).click();
  await page.getByLabel(/^Code from your authenticator app/).fill(recovery);
  await page.getByRole('button', { name: 'Sign in', exact: true }).click();
  await expect(page.getByRole('link', { name: /^Your account/ })).toBeVisible();
  await context.close();
});

test('L1 the organisation’s own sign-in lets in whom a keeper has added, and says who is missing', async ({
  browser,
}) => {
  const context = await browser.newContext(nobody);
  const page = await context.newPage();
  await page.goto(at('/tables/maker'), { waitUntil: 'networkidle' });
  await page.getByRole('link', { name: 'Sign in through Corranmoor Council' }).click();
  await page.getByRole('button', { name: 'Wilmot Sarn' }).click();
  await expect(page.getByRole('alert')).toContainText('no account here has your e-mail address');
  await context.clearCookies();

  await page.goto(at('/tables/maker'), { waitUntil: 'networkidle' });
  await page.getByRole('link', { name: 'Sign in through Corranmoor Council' }).click();
  await page.getByRole('button', { name: 'Hesper Nairne' }).click();
  await expect(page).toHaveURL(/\/tables\/maker$/);
  await expect(page.getByRole('link', { name: 'Your account: Hesper Nairne' })).toBeVisible();
  // What the browser was given on the way opens nothing by itself.
  const answers = await context.request.get(at('/sign-in/organisation/back?code=a&state=b'), {
    maxRedirects: 0,
  });
  expect(answers.headers().location).toBe('/sign-in?refused=organisation_refused');
  await context.close();
});

test('K4 what programs can ask is read, and tried, on a page', async ({ page }) => {
  await visit(page, '/account/api');
  const reader = page.getByRole('region', { name: 'What programs can ask' });
  await reader.getByPlaceholder('Filter by tag or path').fill('maker');
  await expect(reader.getByRole('heading', { name: 'tables · score' })).toHaveCount(0);
  await reader.getByRole('heading', { name: 'tables · maker' }).getByRole('button').click();
  const one = reader.locator('.opblock-get', { hasText: '/api/tables/maker/records' }).first();
  await one.getByRole('button', { name: /^get/ }).first().click();
  await one.getByRole('button', { name: 'Try it out' }).click();
  await one.getByRole('button', { name: 'Execute' }).click();
  await expect(one.locator('.live-responses-table')).toContainText('"records"');
});
