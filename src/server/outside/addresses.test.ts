import { describe, expect, it } from 'vitest';
import { addressToReach, isReachable } from './addresses';

describe('H5 the address to which a name leads', () => {
  it('is none of the machine itself, of its link, or of nobody, unless that is allowed', () => {
    const inside = [
      '127.0.0.1',
      '127.9.9.9',
      '0.0.0.0',
      '169.254.169.254',
      '224.0.0.1',
      '255.255.255.255',
    ];
    const inside6 = ['::1', '::', 'fe80::1', 'ff02::1', '::ffff:127.0.0.1'];
    for (const address of [...inside, ...inside6]) {
      expect(isReachable(address, ['register.example']), address).toBe(false);
      expect(isReachable(address, [address]), address).toBe(true);
    }
    expect(isReachable('127.0.0.1', ['127.0.0.1:4700'])).toBe(true);
    for (const address of ['192.0.2.7', '10.0.0.5', '2001:db8::7']) {
      expect(isReachable(address, []), address).toBe(true);
    }
  });

  it('stands for itself where it is given as one', async () => {
    expect(await addressToReach('127.0.0.1', ['127.0.0.1:1'])).toBe('127.0.0.1');
    expect(await addressToReach('localhost', ['localhost'])).toBe('localhost');
  });
});
