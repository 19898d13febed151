import { expect, test as base, type Locator, type Page } from '@playwright/test';

interface Lost {
  lost?: string[];
}

/**
 * Journeys, and what holds in all of them: the cursor is never nowhere. Whenever a control loses it, something has it
 * a moment later; what was left behind is named where that is not so.
 */
export const test = base.extend<{ neverLost: undefined }>({
  neverLost: [
    async ({ context }, use) => {
      await context.addInitScript(() => {
        const told: Lost = window as Lost;
        told.lost = [];
        addEventListener('focusout', ({ target }) => {
          const isNowhere = () => {
            const here = document.activeElement;
            return (!here || here === document.body) && document.hasFocus();
          };
          const left = target as HTMLElement;
          const look = (again: number) => {
            if (!isNowhere()) return;
            // A page that is being left, a dialog that closes: a little more time.
            if (again > 0) return void setTimeout(look, again, 0);
            told.lost?.push(
              left.getAttribute('aria-label') ?? left.textContent.slice(0, 60) ?? left.tagName,
            );
          };
          setTimeout(look, 600, 3000);
        });
      });
      await use(undefined);
      for (const page of context.pages()) {
        const lost = await page.evaluate(() => (window as Lost).lost ?? []).catch(() => []);
        expect(lost, `the cursor was nowhere, on ${page.url()}`).toEqual([]);
      }
    },
    { auto: true },
  ],
});

/** The address of a page of the server under test. */
export function at(path: string): string {
  return `${process.env.UNISOR_ADDRESS}${path}`;
}

/** With what a page of the server says where a request comes from. */
export function fromHere(): { headers: Record<string, string> } {
  return { headers: { origin: new URL(at('/')).origin } };
}

/** Makes things through the API, as the person of the journey. */
export async function make<T>(page: Page, path: string, data: object): Promise<T> {
  const answer = await page.request.post(at(path), { ...fromHere(), data });
  expect(answer.ok(), `${path}: ${await answer.text()}`).toBe(true);
  return (await answer.json()) as T;
}

/**
 * Opens a page and waits until it can be used by hand. A form begins empty: what another journey has
 * left in it is given up, since all of them are one person.
 */
export async function visit(page: Page, path: string): Promise<void> {
  const form = /^\/forms\/(\w+)$/.exec(path)?.[1];
  if (form) await page.request.delete(at(`/api/forms/${form}/entry-draft`), fromHere());
  await page.goto(at(path), { waitUntil: 'networkidle' });
}

/** Chooses in a lookup by typing words and taking the first choice. */
export async function choose(page: Page, box: Locator, words: string): Promise<void> {
  await box.click();
  await box.fill(words);
  const id = await box.getAttribute('id');
  const first = page.locator(`#${id}-list [role=option]`).first();
  // The list as it was before the typed words may still stand.
  await expect(first).toContainText(words.split(' ')[0] ?? '', { ignoreCase: true });
  await box.press('Enter');
  await expect(page.locator(`#${id}-list`)).toHaveCount(0);
}

/** A cell of a grid, by the beginning of its name: `Copies, line 2`. */
export function cell(page: Page, name: string): Locator {
  return page.getByRole('gridcell', { name: new RegExp(`^${name}:`) });
}

/** Types into a cell of a grid and goes on. */
export async function fill(page: Page, name: string, text: string): Promise<void> {
  await cell(page, name).focus();
  await page.keyboard.type(text);
  await page.keyboard.press('Enter');
}
