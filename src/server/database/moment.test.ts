import { describe, expect, it } from 'vitest';
import { hasWritten, isGtid, later, noteCommitted, noteWriting, noting } from './moment';

describe('how far the log had come', () => {
  it('is noted for the request that has written, and no other', async () => {
    const [one, other] = [{ gtid: null }, { gtid: null }];
    await Promise.all([
      noting(one, async () => noteCommitted('0-1-5')),
      noting(other, async () => noteCommitted('nonsense')),
    ]);
    noteCommitted('0-1-6');
    expect(one.gtid).toBe('0-1-5');
    expect(other.gtid).toBeNull();
  });

  it('is compared within a domain, by number', () => {
    expect(later('0-1-9', '0-2-10')).toBe('0-2-10');
    expect(later('0-1-10', '0-1-9')).toBe('0-1-10');
    expect(later('0-1-10', '7-1-11')).toBe('0-1-10');
    expect(later(null, '0-1-1')).toBe('0-1-1');
    expect(later(null, null)).toBeNull();
  });

  it('is not needed to know that something was written', () => {
    expect(hasWritten()).toBe(true);
    expect(noting({ gtid: null, wrote: false }, hasWritten)).toBe(false);
    const wrote = () => (noteWriting(), hasWritten());
    expect(noting({ gtid: null, wrote: false }, wrote)).toBe(true);
  });

  it('is nothing else', () => {
    for (const text of ['', '0-1', "0-1-2'", '0-1-2,0-1-3', 'a-b-c', undefined, null]) {
      expect(isGtid(text), String(text)).toBe(false);
    }
  });
});
