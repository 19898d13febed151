import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { ProblemError } from '$lib/core/problems';
import { opened, sealed } from './secrets';

const before = process.env.UNISOR_SECRET;
beforeEach(() => {
  process.env.UNISOR_SECRET = 'a key for nothing but tests';
});
afterEach(() => {
  if (before === undefined) delete process.env.UNISOR_SECRET;
  else process.env.UNISOR_SECRET = before;
});

const refused = (work: () => unknown) => {
  try {
    work();
    return 'nothing';
  } catch (error) {
    return error instanceof ProblemError ? error.problems[0]?.code : String(error);
  }
};

describe('H1 a secret of a connection', () => {
  it.each(['hush', '', 'pässwörd 🎻', 'x'.repeat(2000)])(
    'is read again as it was: %#',
    (secret) => {
      expect(opened(sealed(secret))).toBe(secret);
    },
  );

  it('is kept another way each time, and nothing of it is to be seen', () => {
    const [one, two] = [sealed('hush-hush'), sealed('hush-hush')];
    expect(one).not.toBe(two);
    expect(Buffer.from(one, 'base64url').toString()).not.toContain('hush');
  });

  it('is not read where a single character was altered', () => {
    const kept = sealed('hush');
    const altered = [...kept].flatMap((sign, i) =>
      sign === '.' ? [] : [kept.slice(0, i) + (sign === 'A' ? 'B' : 'A') + kept.slice(i + 1)],
    );
    const read = altered.map((text) => refused(() => expect(opened(text)).toBe('hush')));
    // The last character of each of the three parts may carry bits that mean nothing.
    const same = read.filter((told) => told === 'nothing');
    expect(same.length).toBeLessThanOrEqual(3);
    expect(new Set(read.filter((told) => told !== 'nothing'))).toEqual(
      new Set(['secret_key_missing']),
    );
    expect(refused(() => opened('no secret'))).toBe('secret_key_missing');
  });

  it('is not read with another key, and not kept without one', () => {
    const kept = sealed('hush');
    process.env.UNISOR_SECRET = 'another key for nothing but tests';
    expect(refused(() => opened(kept))).toBe('secret_key_missing');
    delete process.env.UNISOR_SECRET;
    expect(refused(() => sealed('hush'))).toBe('secret_key_missing');
  });
});
