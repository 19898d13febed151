import { describe, expect, it } from 'vitest';
import { ProblemError } from '../core/problems';
import { originsFrom, protect, refuseStrangers } from './door';

const known = originsFrom('https://forms.example.org/, http://127.0.0.1:4180');
const status = (method: string, headers: Record<string, string>): number => {
  // The host cannot be set on a request of one's own.
  const request = { method, headers: new Headers(headers) } as Request;
  try {
    refuseStrangers({ request }, known);
    return 200;
  } catch (error) {
    return error instanceof ProblemError ? error.status : 500;
  }
};

describe('the door', () => {
  it('lets in under its own names only', () => {
    expect(status('GET', { host: 'forms.example.org' })).toBe(200);
    expect(status('GET', { host: 'FORMS.example.org' })).toBe(200);
    expect(status('GET', { host: '127.0.0.1:4180' })).toBe(200);
    for (const host of ['evil.example', 'forms.example.org.evil.example', '127.0.0.1:1', '']) {
      expect(status('GET', { host }), host).toBe(421);
    }
  });

  it('lets write only who says to come from its pages, with a body or without', () => {
    const host = '127.0.0.1:4180';
    for (const method of ['POST', 'PUT', 'PATCH', 'DELETE', 'post']) {
      expect(status(method, { host, origin: 'http://127.0.0.1:4180' }), method).toBe(200);
      expect(status(method, { host, origin: 'https://evil.example' }), method).toBe(403);
      expect(status(method, { host, origin: 'null' }), method).toBe(403);
      expect(status(method, { host }), method).toBe(403);
    }
  });

  it('is open where nothing is said, and reads what is said', () => {
    expect(originsFrom(undefined)).toBeNull();
    expect(originsFrom('no address, ')).toBeNull();
    expect([...(known ?? [])]).toEqual(['https://forms.example.org', 'http://127.0.0.1:4180']);
  });

  it('has nothing kept of what was told', () => {
    const headersOf = (path: string, type = 'application/json') => {
      const response = new Response('', { headers: { 'content-type': type } });
      protect(response, path);
      return response.headers;
    };
    expect(headersOf('/api/health').get('cache-control')).toBe('no-store');
    expect(headersOf('/guest/x', 'text/html').get('cache-control')).toBe('no-store');
    expect(headersOf('/mark.svg', 'image/svg+xml').get('cache-control')).toBeNull();
    expect(headersOf('/mark.svg').get('x-content-type-options')).toBe('nosniff');
  });

  it('stays with TLS where it is reached over it, and asks for no device', () => {
    for (const encrypted of [true, false]) {
      const response = new Response('');
      protect(response, '/', encrypted);
      expect(response.headers.has('strict-transport-security')).toBe(encrypted);
      expect(response.headers.get('permissions-policy')).toContain('camera=()');
    }
  });
});
