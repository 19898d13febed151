import { describe, expect, it } from 'vitest';
import { oneAhead } from './ahead';

describe('one page ahead', () => {
  function source(fails = Infinity) {
    const seen: string[] = [];
    async function* pages() {
      try {
        for (let i = 1; i <= 4; i++) {
          if (i === fails) throw new Error(`no page ${i}`);
          seen.push(`read ${i}`);
          yield i;
        }
      } finally {
        seen.push('closed');
      }
    }
    return { seen, pages: oneAhead(pages()) };
  }

  it('gives everything in order, the next one read before the last is worked on', async () => {
    const { seen, pages } = source();
    for await (const page of pages) seen.push(`worked on ${page}`);
    expect(seen).toEqual([
      ...['read 1', 'read 2', 'worked on 1', 'read 3', 'worked on 2', 'read 4', 'worked on 3'],
      ...['closed', 'worked on 4'],
    ]);
  });

  it('closes its source where whoever takes from it stops', async () => {
    const { seen, pages } = source();
    for await (const page of pages) if (page === 2) break;
    expect(seen).toEqual(['read 1', 'read 2', 'read 3', 'closed']);
  });

  it('fails where its source does, after what came before', async () => {
    const { seen, pages } = source(3);
    const take = async () => {
      for await (const page of pages) seen.push(`worked on ${page}`);
    };
    await expect(take()).rejects.toThrow('no page 3');
    expect(seen).toContain('worked on 2');
  });
});
