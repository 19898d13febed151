import { buffer } from 'node:stream/consumers';
import type { Readable } from 'node:stream';
import { expect, type Page } from '@playwright/test';
import yazl from 'yazl';
import { hallPicture } from '../../demo/hall-picture';
import { at, fromHere, test, visit } from './helpers';

test('A9 a column of texts becomes a reference, with one value mended, and goes back', async ({
  page,
}) => {
  const text = { kind: 'text', format: 'plain', length: 80 };
  await page.request.post(at('/api/tables'), {
    ...fromHere(),
    data: {
      ...{ key: 'outing', title: 'Outing', display: ['place'], indexes: [] },
      columns: ['place', 'note'].map((key) => ({
        ...{ key, label: key === 'place' ? 'Place' : 'Note', type: text },
        ...{ required: false, unique: false },
      })),
    },
  });
  for (const place of ['Velden', 'Veldn', 'Oakhurst']) {
    const data = { values: { place } };
    await page.request.post(at('/api/tables/outing/records'), { ...fromHere(), data });
  }
  await visit(page, '/tables/outing/columns');
  await page.getByRole('button', { name: 'Change the type of Place' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('Type of Place', { exact: true }).selectOption('reference');
  await dialog.getByLabel('Table that Place refers to').selectOption('town');
  await expect(dialog.getByText('2 of 3 values become')).toBeVisible();
  await dialog.getByLabel('Instead of Veldn').fill('Velden');
  await dialog.getByLabel('Instead of Veldn').press('Tab');
  await expect(dialog.getByText('3 of 3 values become')).toBeVisible();
  await dialog.getByRole('button', { name: 'Change the type' }).click();
  await expect(dialog).toHaveCount(0);
  await page.getByRole('link', { name: 'Records', exact: true }).click();
  await expect(page.getByRole('gridcell', { name: 'Place, 2: Velden' })).toBeVisible();

  await page.getByRole('link', { name: 'Columns', exact: true }).click();
  const back = page.getByRole('button', { name: 'Take the change of type of Place back' });
  await back.click();
  await expect(back).toHaveText(/reference to town/);
  await page.getByRole('link', { name: 'Records', exact: true }).click();
  await expect(page.getByRole('gridcell', { name: 'Place, 2: Veldn' })).toBeVisible();

  // Several at once: what stands in one text is looked up name by name.
  await page.request.post(at('/api/tables/outing/records'), {
    ...fromHere(),
    data: { values: { place: 'Oakhurst; Velden' } },
  });
  await page.getByRole('link', { name: 'Columns', exact: true }).click();
  await page.getByRole('button', { name: 'Change the type of Place' }).click();
  await dialog.getByLabel('Type of Place', { exact: true }).selectOption('references');
  await dialog.getByLabel('Table that Place refers to').selectOption('town');
  await expect(dialog.getByText('3 of 4 values become')).toBeVisible();
  await expect(dialog.getByLabel('required')).toHaveCount(0);
  await dialog.getByLabel('Leave the others empty').check();
  await dialog.getByRole('button', { name: 'Change the type' }).click();
  await expect(dialog).toHaveCount(0);
  await page.getByRole('link', { name: 'Records', exact: true }).click();
  await expect(page.getByRole('gridcell', { name: /^Place, 4: Velden, Oakhurst/ })).toBeVisible();
  await page.request.delete(at('/api/tables/outing'), fromHere());
});

test('K3 M14 a package of others comes in with forms for it, and everything goes out', async ({
  page,
}) => {
  const fields = [
    { name: 'code', type: 'string', constraints: { maxLength: 10 } },
    { name: 'name' },
  ];
  const own = { name: 'craft', title: 'Craft', path: 'craft.csv' };
  const more = { name: 'craftsman', title: 'Craftsman', path: 'craftsman.csv' };
  const foreignKeys = [{ fields: 'craft', reference: { resource: 'craft', fields: 'code' } }];
  const zip = new yazl.ZipFile();
  const files = {
    'datapackage.json': JSON.stringify({
      resources: [
        { ...own, schema: { fields, primaryKey: 'code' } },
        {
          ...more,
          schema: { fields: [{ name: 'name' }, { ...fields[0], name: 'craft' }], foreignKeys },
        },
      ],
    }),
    'craft.csv': 'code,name\nL,Luthier\n',
    'craftsman.csv': 'name,craft\nEmeric Quist,L\n',
  };
  for (const [name, said] of Object.entries(files)) zip.addBuffer(Buffer.from(said), name);
  zip.end();
  const bytes = await buffer(zip.outputStream as Readable);

  await visit(page, '/tables/new');
  await page.getByRole('link', { name: 'From a package' }).click();
  const chosen = { name: 'crafts.zip', mimeType: 'application/zip', buffer: bytes };
  await page.getByLabel('Data Package').setInputFiles(chosen);
  await page.getByRole('button', { name: 'Import it' }).click();
  await expect(page.getByText('2 tables imported, 2 forms.')).toBeVisible();
  await page.getByRole('link', { name: 'Craftsman' }).first().click();
  await expect(page.getByRole('gridcell', { name: 'Craft, 1: Luthier' })).toBeVisible();

  const download = page.waitForEvent('download');
  await page.getByRole('link', { name: 'CSV', exact: true }).click();
  const file = await download;
  expect(file.suggestedFilename()).toBe('craftsman.csv');
  expect(await buffer(await file.createReadStream())).toEqual(
    Buffer.from('\uFEFFName,Craft\r\nEmeric Quist,Luthier\r\n'),
  );
  for (const format of ['jsonl', 'xlsx']) {
    const taken = await page.request.get(at(`/api/tables/craftsman/export?format=${format}`));
    expect((await taken.body()).length).toBeGreaterThan(20);
  }
  const out = await page.request.get(at('/api/package?tables=craftsman'));
  expect(out.headers()['content-type']).toBe('application/zip');
  expect((await out.body()).subarray(0, 2).toString()).toBe('PK');
  for (const form of ['craft', 'craftsman'])
    await page.request.delete(at(`/api/forms/${form}`), fromHere());
  for (const key of ['craftsman', 'craft'])
    await page.request.delete(at(`/api/tables/${key}`), fromHere());
});

test('A8 a photograph goes into a record by a form, by a guest, and out and in with its table', async ({
  page,
  browser,
}) => {
  const column = (key: string, label: string, type: object) => {
    return { key, label, type, required: false, unique: false };
  };
  const files = { kind: 'files', kinds: ['picture'], largest: 5_000_000, most: 2 };
  const made = await page.request.post(at('/api/tables'), {
    ...fromHere(),
    data: {
      ...{ key: 'workshop', title: 'Workshop', display: ['name'], indexes: [] },
      columns: [
        column('name', 'Name', { kind: 'text', format: 'plain', length: 80 }),
        column('views', 'Views', files),
      ],
    },
  });
  expect(made.status()).toBe(201);
  await page.request.post(at('/api/forms'), {
    ...fromHere(),
    data: { table: 'workshop', key: 'workshop', title: 'Workshop' },
  });
  const published = { ...fromHere(), data: { revision: 1 } };
  await page.request.post(at('/api/forms/workshop/editions'), published);

  await visit(page, '/forms/workshop');
  await page.getByLabel('Name').fill('Bell foundry');
  const box = (of: Page) => of.getByRole('group', { name: 'Views' });
  const chooser = (of: Page) => box(of).locator('input[type=file]').first();
  const picture = { name: 'foundry.png', mimeType: 'image/png', buffer: hallPicture('a', 640) };
  const text = { name: 'notes.png', mimeType: 'image/png', buffer: Buffer.from('only words') };
  await chooser(page).setInputFiles([picture, text]);
  await expect(box(page).getByRole('link', { name: 'foundry.png' })).toBeVisible();
  await expect(box(page)).toContainText('“notes.png” is not one of: pictures.');
  // As long as something stands there that did not come, nothing is saved.
  await page.keyboard.press('Control+Enter');
  await expect(page.getByRole('alert')).toContainText('notes.png');
  await box(page).getByRole('button', { name: 'Take notes.png off' }).click();
  await page.keyboard.press('Control+Enter');
  await expect(page.getByText('Saved. One record was written.')).toBeVisible();

  const listed = await page.request.get(at('/api/tables/workshop/records'));
  const { records } = (await listed.json()) as { records: { id: number }[] };
  await visit(page, `/tables/workshop/records/${records[0]?.id}`);
  await seen(page);
  await expect(page.getByRole('cell', { name: 'foundry.png', exact: true }).last()).toBeVisible();

  // A guest sees it, adds one, and reaches no file by another way.
  const invited = await page.request.post(at('/api/invitations'), {
    ...fromHere(),
    data: { form: 'workshop', record: records[0]?.id, days: 1, uses: 1, note: 'Ada' },
  });
  const { link } = (await invited.json()) as { link: string };
  const token = link.split('/').at(-1) ?? '';
  const context = await browser.newContext({ storageState: { cookies: [], origins: [] } });
  const guest = await context.newPage();
  await guest.goto(at(`/guest/${token}`), { waitUntil: 'networkidle' });
  await seen(guest);
  const inside = (await guest.getByAltText('').first().getAttribute('src')) ?? '';
  expect(inside).toContain(`/api/guest/${token}/files/`);
  const around = inside.replace(`/guest/${token}`, '');
  expect((await guest.request.get(at(around))).status()).toBe(401);
  const second = { ...picture, name: 'yard.png', buffer: hallPicture('b', 640) };
  await chooser(guest).setInputFiles(second);
  await expect(box(guest).getByRole('link', { name: 'yard.png' })).toBeVisible();
  await guest.keyboard.press('Control+Enter');
  await expect(guest.getByText(/saved/i).first()).toBeVisible();
  await context.close();

  // Out with its table and in again, with both pictures.
  const out = await page.request.get(at('/api/package?tables=workshop'));
  const bytes = await out.body();
  for (const path of ['/api/forms/workshop', '/api/tables/workshop']) {
    expect((await page.request.delete(at(path), fromHere())).ok()).toBe(true);
  }
  const back = await page.request.post(at('/api/package'), {
    headers: { ...fromHere().headers, 'content-type': 'application/zip' },
    data: bytes,
  });
  expect(back.ok()).toBe(true);
  await visit(page, `/forms/workshop?record=${records[0]?.id}`);
  await expect(box(page).getByRole('link')).toHaveText([/foundry.png/, /yard.png/]);
  await seen(page);
  for (const path of ['/api/forms/workshop', '/api/tables/workshop']) {
    await page.request.delete(at(path), fromHere());
  }
});

/** Has the first picture of the page shown. */
async function seen(page: Page): Promise<void> {
  const shown = page.getByAltText('').first();
  await expect(shown).toBeVisible();
  await expect
    .poll(() => shown.evaluate((image) => (image as HTMLImageElement).naturalWidth))
    .toBeGreaterThan(0);
}

test('A1 four linked files come in at once, what is wrong is put right on the spot, and forms are there', async ({
  page,
}) => {
  const files = {
    'stage_regions.csv': 'Name,On the coast\nWeald,no\nIsles,yes\n',
    'stage_towns.csv': 'Name,Region\nWealdham,Weald\nTarnby,Isles\nMarchby,Weald\n',
    'stage_ensembles.csv':
      'Member code,Name,Town,Weekly rate\nSTG-1,Wealdham Brass,Wealdham,1.20\nSTG-2,Tarnby Octet,Tarnby,on request\nSTG-3,Marchby Singers,Marchbey,0.90\nSTG-4,Harbour Winds,Tarnby,0.70\nSTG-5,Weald Consort,Wealdham,0.80\n',
    'stage_loans.csv': 'Asset,Lent to\nA-1,STG-1\nA-2,STG-3\nA-3,\nA-4,STG-2\n',
  };
  await visit(page, '/tables/new');
  await page.getByLabel('CSV files or spreadsheets').setInputFiles(
    Object.entries(files).map(([name, text]) => ({
      ...{ name, mimeType: 'text/csv', buffer: Buffer.from(text) },
    })),
  );
  const picture = page.getByRole('img');
  await expect(picture).toHaveAccessibleName(
    /Stage towns refers to Stage regions by Region: 2 of 2.*Stage loans refers to Stage ensembles by Lent to: 3 of 3/,
  );
  // A name of a letter too many is told with its line, and with the name that it is like.
  await page.getByLabel('Type of Town of Stage ensembles').selectOption('reference');
  await expect(page.getByLabel('Instead of Marchbey')).toHaveValue('Marchby');
  await page.getByRole('button', { name: 'Use it' }).click();
  await expect(page.getByText('All names are put right.')).toBeVisible();
  await page.getByLabel('Type of Weekly rate of Stage ensembles').selectOption('decimal');
  await page.getByRole('button', { name: 'Import 4 tables, 14 rows' }).click();
  const cell = page.getByLabel('Weekly rate on line 3 of Stage ensembles');
  await expect(cell).toHaveValue('on request');
  await cell.fill('1.05');
  await cell.press('Tab');
  await page.getByRole('button', { name: 'Check the rows' }).click();
  await expect(page.getByText('All rows can be imported.')).toBeVisible();
  await page.keyboard.press('Control+Enter');
  await expect(page.getByText('4 tables imported.')).toBeVisible();
  await expect(page.getByText('4 forms are drafted.')).toBeVisible();

  const listed = await page.request.get(at('/api/tables/stage_ensembles/records'));
  const { records } = (await listed.json()) as {
    records: { values: Record<string, unknown>; shown: Record<string, string> }[];
  };
  expect(records.map(({ shown }) => shown.town)).toEqual([
    ...['Wealdham', 'Tarnby', 'Marchby', 'Tarnby', 'Wealdham'],
  ]);
  expect(records[1]?.values.weekly_rate).toBe('1.05');
  // Its draft is a form that works: the lookup offers what came in.
  await page.getByRole('link', { name: 'Stage loans' }).last().click();
  await page.getByRole('combobox', { name: 'Lent to' }).first().fill('STG-3');
  await expect(page.getByRole('option', { name: /Marchby Singers|STG-3/ }).first()).toBeVisible();
  await page.keyboard.press('Escape');

  for (const key of ['stage_loans', 'stage_ensembles', 'stage_towns', 'stage_regions']) {
    await page.request.delete(at(`/api/forms/${key}`), fromHere());
  }
  for (const key of ['stage_loans', 'stage_ensembles', 'stage_towns', 'stage_regions']) {
    const gone = await page.request.delete(at(`/api/tables/${key}`), fromHere());
    expect(gone.ok()).toBe(true);
  }
});

test('G3 a column of a file becomes a table of its own, and a step is taken back', async ({
  page,
}) => {
  await visit(page, '/tables/new?from=paste');
  const makers = ['Quist', 'Velden Cases', 'Quist', 'Quist', 'Velden Cases', 'Velden Cases'];
  const rows = makers.map((maker, i) => `C-${i + 1},${maker}`);
  await page
    .getByLabel(/^Rows with a line of column names/)
    .fill(`Case,Case maker\n${rows.join('\n')}`);
  await page.getByRole('button', { name: 'Read the rows' }).click();
  await page.getByLabel('Title of the table from Pasted rows.csv').fill('Case');
  await page.getByLabel('Title of the table from Pasted rows.csv').press('Tab');
  await page.getByRole('button', { name: 'Make it a table of its own' }).click();
  const to = page.getByLabel('Table that Case maker of Case refers to');
  await expect(to).toHaveValue('case_maker');
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(to).toHaveCount(0);
  await page.getByRole('button', { name: 'Make it a table of its own' }).click();
  await expect(page.getByText('2 of 2 match')).toBeVisible();
  await page.getByRole('button', { name: 'Import 2 tables, 8 rows' }).click();
  await expect(page.getByText('2 tables imported.')).toBeVisible();
  await page.getByRole('link', { name: 'Case', exact: true }).first().click();
  await expect(page.getByRole('gridcell', { name: 'Case maker, 2: Velden Cases' })).toBeVisible();
  for (const key of ['case', 'case_maker']) {
    await page.request.delete(at(`/api/forms/${key}`), fromHere());
  }
  for (const key of ['case', 'case_maker']) {
    const gone = await page.request.delete(at(`/api/tables/${key}`), fromHere());
    expect(gone.ok()).toBe(true);
  }
});
