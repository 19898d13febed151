import { describe, expect, it } from 'vitest';
import { supervise } from './supervise.mjs';

/** A part that ends when it is told to, or fails to start. */
function parts(failing: (nth: number) => boolean = () => false) {
  const ends: (() => void)[] = [];
  let started = 0;
  const start = async () => {
    if (failing(++started)) throw new Error('no room');
    let end = () => {};
    const exited = new Promise<void>((done) => (end = done));
    ends.push(end);
    return { nth: ends.length, exited, stop: async () => end() };
  };
  return { start, ends, started: () => started };
}

describe('a run keeps its parts going', () => {
  const watched = () => {
    const [said, pauses]: [string[], number[]] = [[], []];
    const pause = async (milliseconds: number) => void pauses.push(milliseconds);
    return { said, pauses, options: { say: (words: string) => void said.push(words), pause } };
  };

  it('starts one that ends again, with growing pauses, and says so', async () => {
    const { start, ends } = parts();
    const { said, pauses, options } = watched();
    const kept = await supervise('The server', start, options);
    for (let i = 0; i < 7; i++) {
      ends[i]?.();
      await expect.poll(() => ends.length).toBe(i + 2);
    }
    expect(pauses).toEqual([1000, 2000, 4000, 8000, 16_000, 30_000, 30_000]);
    expect(said.slice(0, 2)).toEqual([
      'The server has ended; it is started again in 1 s.',
      'The server goes on.',
    ]);
    expect(kept.part().nth).toBe(8);
    await kept.stop();
    await kept.watching;
    expect(ends).toHaveLength(8);
  });

  it('tries again where it cannot be started, but tells the first failure', async () => {
    await expect(
      supervise('x', parts((nth) => nth === 1).start, watched().options),
    ).rejects.toThrow('no room');
    const { start, ends, started } = parts((nth) => nth === 2 || nth === 3);
    const { said, options } = watched();
    const kept = await supervise('The database', start, options);
    ends[0]?.();
    await expect.poll(() => ends.length).toBe(2);
    expect(started()).toBe(4);
    expect(said.filter((words) => words.includes('no room'))).toHaveLength(2);
    await kept.stop();
  });

  it('stops for good, also in the middle of a pause', async () => {
    const { start, ends } = parts();
    let go = () => {};
    const pause = () => new Promise<void>((done) => (go = done));
    const kept = await supervise('x', start, { say: () => {}, pause });
    ends[0]?.();
    await new Promise((done) => setTimeout(done, 5));
    await kept.stop();
    go();
    await kept.watching;
    expect(ends).toHaveLength(1);
  });
});
