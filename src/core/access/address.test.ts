import { describe, expect, it } from 'vitest';
import { inHere } from './address';

describe('where somebody is led after signing in', () => {
  it('is a page of our own', () => {
    expect(inHere('/forms/lend_music?record=4')).toBe('/forms/lend_music?record=4');
    expect(inHere('/tables/a%2Fb')).toBe('/tables/a%2Fb');
  });

  it.each([
    null,
    '',
    'https://example.org/',
    '//example.org',
    '/\\example.org',
    '/\t/example.org',
    '\\\\example.org',
    '/.//example.org',
    'javascript:alert(1)',
    'forms',
  ])('is never %s', (address) => {
    expect(inHere(address)).toBe('/');
  });
});
