import { asKeeper } from './measure';
import {
  chromium,
  type BrowserContext,
  type Browser,
  type CDPSession,
  type Page,
} from '@playwright/test';
import type { Connection } from 'mysql2/promise';
import { chromium as started } from '../scripts/chromium.mjs';
import { ensureChromium } from '../scripts/install.mjs';

interface Bench {
  address: string;
  connection: Connection;
}

const records = 'unisor_records';
/** Letters typed for each measurement. */
const letters = 60;
const opened = 9;

/**
 * What the browser has to bring and to do: script at first load; a letter typed into a form of 200 fields, and into a
 * grid of 2,000 rows, against one typed into a bare input; opening Lend music against a page with nothing on it.
 */
export async function screen({ address, connection }: Bench): Promise<void> {
  ensureChromium();
  const browser = await chromium.launch(started);
  try {
    for (const [name, path] of [
      ['fill', '/forms/lend_music'],
      ['design', '/forms/lend_music/design'],
      ['table', '/tables/score'],
    ] as const) {
      await size(browser, name, `${address}${path}`);
    }
    await opening(browser, address, 'open-lend-music', '/forms/lend_music');
    await makeWide(address, 'bench_wide', 200);
    await makeWide(address, 'bench_broad', 500);
    await opening(browser, address, 'open-500-fields', '/forms/bench_broad');
    await makeLong(address, connection);
    const bare = await perKey(browser, 'data:text/html,<input autofocus>', 'input');
    const wide = await perKey(browser, `${address}/forms/bench_wide`, '#f-f100');
    said('type-in-200-fields', wide, bare, 'a form of 200 fields, 20 of them computed');
    for (const [record, rows] of [
      [1, '2000'],
      [2, '10000'],
    ] as const) {
      const url = `${address}/forms/bench_long?record=${record}`;
      const long = await perKey(browser, url, '[role=gridcell]', 'Enter');
      said(`type-in-${rows}-rows`, long, bare, `a grid of ${rows} rows of 4 columns`);
    }
  } finally {
    await browser.close();
  }
}

function said(name: string, ours: number, bare: number, sizes: string): void {
  console.log(
    `bench ${name}: script ${ours.toFixed(2)} ms per key (aim 8), a bare input ${bare.toFixed(2)} ms (${sizes}, n=${letters})`,
  );
}

/** Script and HTML as they come over the line at a first visit, in kB. */
async function size(browser: Browser, name: string, url: string): Promise<void> {
  const context = await browser.newContext();
  await signIn(context, new URL(url).origin);
  const page = await context.newPage();
  const sizes: Promise<{ script: boolean; bytes: number }>[] = [];
  page.on('requestfinished', (request) => {
    const kind = request.resourceType();
    if (kind !== 'script' && kind !== 'document') return;
    sizes.push(
      request.sizes().then(({ responseBodySize }) => ({
        script: kind === 'script',
        bytes: responseBodySize,
      })),
    );
  });
  await page.goto(url, { waitUntil: 'networkidle' });
  const all = await Promise.all(sizes);
  const sum = (script: boolean) =>
    all.filter((one) => one.script === script).reduce((n, { bytes }) => n + bytes, 0) / 1000;
  console.log(
    `bench size-${name}: ${sum(true).toFixed(0)} kB script, ${sum(false).toFixed(0)} kB page, compressed`,
  );
  await context.close();
}

/** Until the cursor stands in the first field, against until a page with nothing on it is still. */
async function opening(
  browser: Browser,
  address: string,
  name: string,
  path: string,
): Promise<void> {
  const times: Record<string, number[]> = { ours: [], empty: [] };
  const context = await browser.newContext();
  await signIn(context, address);
  const page = await context.newPage();
  const until = async (path: string, ready: () => boolean) => {
    await page.goto(`${address}${path}`, { waitUntil: 'commit' });
    await page.waitForFunction(ready, undefined, { polling: 'raf' });
    return page.evaluate(() => performance.now());
  };
  for (let i = 0; i <= opened; i++) {
    const empty = await until(
      '/none',
      () => document.querySelector('main')?.dataset.ready === 'yes',
    );
    const ours = await until(path, () => document.activeElement?.tagName === 'INPUT');
    // The first of each fills the browser's cache.
    if (i === 0) continue;
    times.ours?.push(ours);
    times.empty?.push(empty);
  }
  const [a, b] = [median(times.ours ?? []), median(times.empty ?? [])];
  console.log(
    `bench ${name}: ratio ${(a / b).toFixed(2)} (ours ${a.toFixed(0)} ms, reference ${b.toFixed(0)} ms; until it can be typed into, against a page that says there is nothing, n=${opened})`,
  );
  await context.close();
}

/** Milliseconds of script for one letter. */
async function perKey(
  browser: Browser,
  url: string,
  selector: string,
  before?: string,
): Promise<number> {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  if (url.startsWith('http')) await signIn(context, new URL(url).origin);
  const page = await context.newPage();
  await page.goto(url, { waitUntil: 'networkidle' });
  await page.locator(selector).first().focus();
  if (before) await page.keyboard.press(before);
  await type(page, 10);
  const cdp = await context.newCDPSession(page);
  await cdp.send('Performance.enable');
  const began = await script(cdp);
  await type(page, letters);
  const ended = await script(cdp);
  await context.close();
  return ((ended - began) * 1000) / letters;
}

async function type(page: Page, n: number): Promise<void> {
  for (let i = 0; i < n; i++) {
    await page.keyboard.press(i % 2 === 0 ? 'e' : 'Backspace');
    await page.evaluate(() => new Promise((done) => requestAnimationFrame(done)));
  }
}

/** Seconds of script so far. */
async function script(cdp: CDPSession): Promise<number> {
  const { metrics } = await cdp.send('Performance.getMetrics');
  return metrics.find(({ name }) => name === 'ScriptDuration')?.value ?? Number.NaN;
}

async function post(address: string, path: string, body: unknown): Promise<unknown> {
  const response = await fetch(`${address}/api/${path}`, {
    method: 'POST',
    headers: { ...asKeeper(), origin: address, 'content-type': 'application/json' },
    body: JSON.stringify(body),
  });
  const answer: unknown = await response.json();
  if (!response.ok) throw new Error(`${path}: ${JSON.stringify(answer).slice(0, 500)}`);
  return answer;
}

const text = { kind: 'text', format: 'plain', length: 255 };
const number = { kind: 'whole' };

async function makeForm(address: string, key: string, sections: unknown[]): Promise<void> {
  const plan = { format: 1, title: key, table: key, sections };
  const { revision } = (await post(address, 'forms', { table: key, key, plan })) as {
    revision: number;
  };
  await post(address, `forms/${key}/editions`, { revision });
}

/** A form of many fields: 20 of them computed from one of the others each. */
async function makeWide(address: string, key: string, size: number): Promise<void> {
  const columns = [{ key: 'name', label: 'Name', type: text, required: false, unique: false }];
  await post(address, 'tables', { key, title: 'Wide', columns, display: ['name'] });
  const fields = Array.from({ length: size }, (_, i) => {
    const computes = i < 20 ? `"→ " + f${100 + i}` : null;
    return { key: `f${i}`, label: `Field ${i}`, savesTo: null, holds: text, computes };
  });
  await makeForm(address, key, [{ key: 'main', title: 'Main', columns: 3, fields }]);
}

/** A record with 2,000 rows of four columns, one of them computed, and one with 10,000. */
async function makeLong(address: string, connection: Connection): Promise<void> {
  const name = { key: 'name', label: 'Name', type: text, required: false, unique: false };
  await post(address, 'tables', {
    key: 'bench_long',
    title: 'Long',
    columns: [name],
    display: ['name'],
  });
  const link = { kind: 'reference', table: 'bench_long' };
  const columns = [
    { key: 'head', label: 'Head', type: link, required: true, unique: false },
    name,
    { key: 'n', label: 'N', type: number, required: false, unique: false },
    { key: 'm', label: 'M', type: number, required: false, unique: false },
    { key: 'sum', label: 'Sum', type: number, required: false, unique: false },
  ];
  await post(address, 'tables', { key: 'bench_row', title: 'Row', columns, display: ['name'] });
  await connection.query(
    `insert into ${records}.bench_long (id, name, created_by, updated_by)
      values (1, 'a', 'b', 'b'), (2, 'a', 'b', 'b')`,
  );
  for (const [head, length] of [
    [1, 2000],
    [2, 10_000],
  ] as const) {
    const rows = Array.from({ length }, (_, i) => [head, `row ${i}`, i, 2, i + 2, 'b', 'b']);
    await connection.query(
      `insert into ${records}.bench_row (head, name, n, m, sum, created_by, updated_by) values ?`,
      [rows],
    );
  }
  const field = (key: string, more: object = {}) => ({ key, label: key, savesTo: key, ...more });
  await makeForm(address, 'bench_long', [
    { key: 'main', title: 'Main', fields: [field('name')] },
    {
      key: 'lines',
      title: 'Lines',
      fields: [field('name'), field('n'), field('m'), field('sum', { computes: 'n + m' })],
      grid: { table: 'bench_row', link: 'head' },
    },
  ]);
}

function median(values: readonly number[]): number {
  return [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] ?? Number.NaN;
}

/** Gives the browser the session of whoever measures. */
async function signIn(context: BrowserContext, address: string): Promise<void> {
  const [name = '', value = ''] = asKeeper().cookie.split('=');
  await context.addCookies([{ name, value, url: address }]);
}
