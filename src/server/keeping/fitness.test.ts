import { describe, expect, it } from 'vitest';
import { unfit, type ServerSettings } from './fitness';

const gb = 2 ** 30;
const well: ServerSettings = {
  ...{ bufferPool: 4 * gb, packet: 64 * 2 ** 20, data: gb, flushesAtCommit: true },
  ...{ shortestWord: 1, binaryLog: true, mayEverything: false },
  collations: ['utf8mb4_uca1400_ai_ci', 'utf8mb4_uca1400_ai_ci'],
  ...{ nodes: { now: 3, all: 3 }, replica: 'follows' },
};

describe('what of a database server does not fit', () => {
  it('is nothing where all is well, and where a small house needs little', () => {
    expect(unfit(well)).toEqual([]);
    expect(unfit({ ...well, bufferPool: 128 * 2 ** 20, data: 100 * 2 ** 20 })).toEqual([]);
  });

  it.each([
    [{ bufferPool: 128 * 2 ** 20, data: 2 * gb }, /134 MB of pages in memory.*2.1 GB/],
    [{ flushesAtCommit: false }, /can be lost when its machine stops/],
    [{ packet: 2 ** 20 }, /takes 1 MB at once.*17 MB/],
    [{ shortestWord: 3 }, /shorter than 3 letters/],
    [{ binaryLog: false }, /no binary log/],
    [{ collations: ['utf8mb4_general_ci'] }, /another collation/],
    [{ mayEverything: true }, /may do everything/],
    [{ nodes: { now: 2, all: 3 } }, /Only 2 of the 3 nodes of the database take part/],
    [{ replica: 'away' as const }, /cannot be reached/],
    [{ replica: 'behind' as const }, /stands still, or is far behind/],
    [{ replica: 'alone' as const }, /follows no other server/],
  ])('is said in one sentence: %j', (set, said) => {
    const found = unfit({ ...well, ...set });
    expect(found).toHaveLength(1);
    expect(found[0]).toMatch(said);
  });
});
