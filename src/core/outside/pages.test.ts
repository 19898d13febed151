import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { firstPage, nextPage, pageFrom, totalOf, writtenPage, type Page } from './pages';
import { pagesSchema, queryProblems, querySchema, type Pages } from './query';

const pages = (more: object) => pagesSchema.parse({ parameter: 'page', by: 'rows', ...more });

/** A system with so many rows, in pages of a size; gives what walking through all its pages finds. */
function walk(rows: number, size: number, by: Pages['by'], more: object = {}) {
  const told = pages({ by, ...more });
  const seen: number[] = [];
  let asked = 0;
  for (let page: Page | null = firstPage({ pages: told }); page;) {
    const begin =
      by === 'rows'
        ? Number(page.at)
        : by === 'pages'
          ? (Number(page.at) - 1) * size
          : Number(page.at ?? 0);
    const items = Array.from(
      { length: Math.min(size, Math.max(0, rows - begin)) },
      (_, i) => begin + i,
    );
    const after = begin + items.length;
    const answer = { items, total: rows, cursor: after < rows ? String(after) : null };
    seen.push(...items);
    asked++;
    if (asked > rows + 2) throw new Error('it does not end');
    page = nextPage(told, page, answer, items.length);
  }
  return { seen, asked };
}

describe('H2 an answer in pages', () => {
  const sizes = [fc.integer({ min: 0, max: 60 }), fc.integer({ min: 1, max: 12 })] as const;
  const ways: [string, Pages['by'], object][] = [
    ['rows before it', 'rows', {}],
    ['rows before it, with the number of all', 'rows', { total: 'total' }],
    ['its number', 'pages', {}],
    ['its number, with the number of all', 'pages', { total: 'total' }],
    ['what the last one gave', 'next', { next: 'cursor' }],
  ];

  it.each(ways)(
    'is walked through by %s: every row once, in order, and to an end',
    (_, by, more) => {
      fc.assert(
        fc.property(...sizes, (rows, size) => {
          expect(walk(rows, size, by, more).seen).toEqual(
            Array.from({ length: rows }, (_, i) => i),
          );
        }),
      );
    },
  );

  it('is not asked for a page more than there is, where the number of all is told', () => {
    expect(walk(40, 10, 'rows', { total: 'total' }).asked).toBe(4);
    expect(walk(40, 10, 'rows').asked).toBe(5);
    expect(walk(45, 10, 'rows').asked).toBe(5);
  });

  it('ends where a system gives the same page again', () => {
    const told = pages({ by: 'next', next: 'cursor' });
    const page = { at: 'x', before: 10, full: 10, from: 0 };
    expect(nextPage(told, page, { cursor: 'x' }, 10)).toBeNull();
  });

  it('has a number of all only where that is a number', () => {
    expect(totalOf(pages({ total: 'total' }), { total: 12 })).toBe(12);
    expect(totalOf(pages({ total: 'total' }), { total: 'many' })).toBeNull();
    expect(totalOf(pages({}), { total: 12 })).toBeNull();
  });

  it('is found again from what a screen sends back; from anything else it begins', () => {
    const query = { pages: pages({}) };
    const place = fc.record({
      at: fc.oneof(fc.string(), fc.nat(), fc.constant(null)),
      before: fc.nat(),
      full: fc.nat(),
      from: fc.nat(),
    });
    fc.assert(
      fc.property(place, (page) => {
        expect(pageFrom(query, writtenPage(page))).toEqual(page);
      }),
    );
    fc.assert(
      fc.property(fc.string(), (text) => {
        const { before, full, from } = pageFrom(query, text);
        expect(Math.min(before, full, from)).toBeGreaterThanOrEqual(0);
      }),
    );
    for (const bad of [undefined, '', '{', '[1,-1,0,0]', '[{},0,0,0]', '[1,0.5,0,0]']) {
      expect(pageFrom(query, bad)).toEqual(firstPage(query));
    }
  });

  it('needs a parameter of the query, and a place for what the next page is asked for with', () => {
    const query = (pages: object) =>
      querySchema.parse({ key: 'q', title: 'Q', connection: 'c', text: 'x', pages });
    const codes = (pages: object) => queryProblems(query(pages), 'http').map(({ code }) => code);
    expect(codes({ parameter: 'page', by: 'rows' })).toEqual(['parameter_missing']);
    expect(codes({ parameter: 'page', by: 'next' })).toEqual([
      'parameter_missing',
      'next_page_missing',
    ]);
  });
});
