import { expect } from '@playwright/test';
import { field, lookupOf, planOf } from '../support/definitions';
import { at, fromHere, make, test, visit } from './helpers';

test('K2 a town moves to another region: the hires that no longer fit are found, repaired, undone and repaired', async ({
  page,
}) => {
  const post = <T>(path: string, data: object) => make<T>(page, path, data);
  const column = (key: string, label: string, type: object) => {
    return { key, label, type, required: false, unique: false };
  };
  const text = { kind: 'text', format: 'plain', length: 80 };
  const refers = (table: string) => ({ kind: 'reference', table });
  const tableOf = (key: string, title: string, columns: object[]) =>
    post('/api/tables', { key, title, display: ['name'], indexes: [], columns });
  const name = column('name', 'Name', text);
  const area = column('area', 'Area', refers('hire_area'));
  await tableOf('hire_area', 'Hire area', [name]);
  await tableOf('hire_town', 'Hire town', [name, area]);
  await tableOf('hire', 'Hire', [name, area, column('town', 'Town', refers('hire_town'))]);
  const add = (table: string, values: object) =>
    post<{ id: number; version: number }>(`/api/tables/${table}/records`, { values });
  const [north, south] = [
    await add('hire_area', { name: 'North' }),
    await add('hire_area', { name: 'South' }),
  ];
  const velden = await add('hire_town', { name: 'Velden', area: north.id });
  const morby = await add('hire_town', { name: 'Morby', area: north.id });
  for (let i = 0; i < 5; i++) {
    const town = (i < 3 ? velden : morby).id;
    await add('hire', { name: `Hire ${i}`, area: north.id, town });
  }
  const plan = planOf('hire', [
    field('name', { label: 'Name', savesTo: 'name' }),
    field('area', { label: 'Area', savesTo: 'area', choices: lookupOf('hire_area') }),
    field('town', {
      ...{ label: 'Town', savesTo: 'town' },
      choices: lookupOf('hire_town', {
        narrowings: [{ path: 'area', operator: 'equal', field: 'area', whileEmpty: 'everything' }],
      }),
    }),
  ]);
  await post('/api/forms', { table: 'hire', key: 'hire', title: 'Hire', plan });
  await post('/api/forms/hire/editions', { revision: 1 });

  await visit(page, '/forms/hire/drift');
  await page.getByRole('button', { name: 'Hold against the form' }).click();
  await expect(page.getByText('Every record fits the form as it is now.')).toBeVisible();
  const moved = await page.request.patch(at(`/api/tables/hire_town/records/${velden.id}`), {
    ...fromHere(),
    data: { version: velden.version, values: { area: south.id } },
  });
  expect(moved.ok()).toBe(true);
  await page.getByRole('button', { name: 'Hold against the form' }).click();
  const findings = page.getByRole('table', { name: 'Findings' });
  const finding = findings.getByRole('row', { name: /Town.*not offered any more.*3/ });
  await expect(finding).toBeVisible();
  await finding.getByRole('button').click();
  await expect(findings.getByRole('link', { name: 'Hire 0' })).toBeVisible();
  await findings.getByRole('button', { name: 'Empty them' }).click();
  await expect(
    findings.getByRole('table', { name: 'What would change' }).getByRole('row'),
  ).toHaveCount(4);
  await findings.getByRole('button', { name: 'Change all 3' }).click();
  await expect(page.getByText('3 values were repaired.')).toBeVisible();
  await expect(finding).toBeHidden();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(finding).toBeVisible();
  // It is still open.
  await findings.getByRole('button', { name: 'Empty them' }).click();
  await expect(
    findings.getByRole('table', { name: 'What would change' }).getByRole('row'),
  ).toHaveCount(4);
  await findings.getByRole('button', { name: 'Cancel' }).click();
  // They can be left as they are as well, and looked at again.
  await findings.getByRole('button', { name: 'Leave them' }).click();
  await expect(findings.getByText(/left by Ottilie Marrable/)).toBeVisible();
  await page.getByRole('button', { name: 'Hold against the form' }).click();
  await expect(findings.getByText(/left by Ottilie Marrable/)).toBeVisible();
  await finding.getByRole('button').click();
  await findings.getByRole('button', { name: 'Look at them again' }).click();
  await expect(findings.getByText(/left by/)).toHaveCount(0);
  await finding.getByRole('button').click();
  await findings.getByRole('button', { name: 'Empty them' }).click();
  await findings.getByRole('button', { name: 'Change all 3' }).click();
  await expect(finding).toBeHidden();

  await visit(page, '/keeping');
  const fits = page.getByRole('table', { name: 'Stored records and their forms' });
  await expect(fits.getByRole('row', { name: /^Form of hire .* 5 0$/ })).toBeVisible();
  await expect(page.getByRole('table', { name: 'Tables by size' })).toContainText('Hire town');
});
