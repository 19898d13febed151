import { buffer } from 'node:stream/consumers';
import type { Readable } from 'node:stream';
import { expect } from '@playwright/test';
import yazl from 'yazl';
import { at, fromHere, test, visit } from './helpers';

test('A9 a column of texts becomes a reference, with one value mended, and goes back', async ({
  page,
}) => {
  const text = { kind: 'text', format: 'plain', length: 80 };
  await page.request.post(at('/api/tables'), {
    ...fromHere(),
    data: {
      ...{ key: 'outing', title: 'Outing', display: ['place'], indexes: [] },
      columns: [{ key: 'place', label: 'Place', type: text, required: false, unique: false }],
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
