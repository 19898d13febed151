import type { Scalar } from '../values/types';
import type { Pages, Query } from './query';
import { canonicalFrom, valueAt } from './rows';

/** A place in an answer that comes in pages. */
export interface Page {
  /** What the page is asked for with: rows that came before, its number, or what the last answer gave. */
  at: Scalar;
  /** Rows on the pages before it. */
  before: number;
  /** Rows on a full page, as far as is known; 0 before the first one. */
  full: number;
  /** Rows of this page that were seen already. */
  from: number;
}

/** The first page of a query. */
export function firstPage({ pages }: Pick<Query, 'pages'>): Page {
  const at = pages === null || pages.by === 'next' ? null : pages.by === 'rows' ? 0 : 1;
  return { at, before: 0, full: 0, from: 0 };
}

/** The page after one that gave so many rows; `null` where that was the last one. */
export function nextPage(
  pages: Pages | null,
  page: Page,
  answer: unknown,
  rows: number,
): Page | null {
  if (!pages || rows === 0) return null;
  const before = page.before + rows;
  const full = Math.max(page.full, rows);
  if (pages.by === 'next') {
    const at = canonicalFrom(plain, valueAt(answer, pages.next)) ?? null;
    return at === null || at === page.at ? null : { at, before, full, from: 0 };
  }
  const total = totalOf(pages, answer);
  if (total === null ? rows < full : before >= total) return null;
  const at = pages.by === 'rows' ? before : Number(page.at) + 1;
  return { at, before, full, from: 0 };
}

/** How many rows there are in all, where the answer says so. */
export function totalOf({ total }: Pages, answer: unknown): number | null {
  if (total === '') return null;
  const told = canonicalFrom({ kind: 'whole' }, valueAt(answer, total));
  return typeof told === 'number' ? told : null;
}

/** A page as a text that a screen gives back. */
export function writtenPage({ at, before, full, from }: Page): string {
  return JSON.stringify([at, before, full, from]);
}

/** Reads what {@link writtenPage} wrote; the first page, where it is anything else. */
export function pageFrom(query: Pick<Query, 'pages'>, text: string | undefined): Page {
  const first = firstPage(query);
  if (text === undefined) return first;
  try {
    const [at, ...counts] = JSON.parse(text) as unknown[];
    const [before, full, from] = counts.map((n) => (Number.isSafeInteger(n) ? Number(n) : -1));
    const sound = ['string', 'number'].includes(typeof at) || at === null;
    if (!sound || Math.min(before ?? -1, full ?? -1, from ?? -1) < 0) return first;
    return { at: at as Scalar, before: before ?? 0, full: full ?? 0, from: from ?? 0 };
  } catch {
    return first;
  }
}

const plain = { kind: 'text', format: 'plain', length: 1000 } as const;
