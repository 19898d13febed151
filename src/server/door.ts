import { settings } from './settings';
import type { RequestEvent } from '@sveltejs/kit';
import { fail } from '$lib/core/problems';

/**
 * The origins under which the product is reached (`UNISOR_ORIGINS`, otherwise `ORIGIN`); `null` where none is
 * said, as while it is developed.
 */
const origins = originsFrom(settings().UNISOR_ORIGINS ?? settings().ORIGIN);

/** Reads a list of origins: `https://forms.example.org, http://127.0.0.1:4180`. */
export function originsFrom(list: string | undefined): ReadonlySet<string> | null {
  const named = (list ?? '').split(',').flatMap((part) => {
    const text = part.trim();
    return URL.canParse(text) ? [new URL(text).origin] : [];
  });
  return named.length === 0 ? null : new Set(named);
}

/** Under which of the product's origins a page was asked for; that of the server itself where none is said. */
export function originOf({ request, url }: Pick<RequestEvent, 'request' | 'url'>): string {
  const host = request.headers.get('host')?.toLowerCase();
  return [...(origins ?? [])].find((origin) => new URL(origin).host === host) ?? url.origin;
}

const reading = new Set(['GET', 'HEAD', 'OPTIONS']);

/**
 * Refuses what comes under another name than the product's own (a rebound name would make another page's
 * scripts its own), and everything that writes and does not say that it comes from one of its pages.
 */
export function refuseStrangers(
  { request }: Pick<RequestEvent, 'request'>,
  known: ReadonlySet<string> | null = origins,
  /** A program that shows a token is no page: no browser sends that by itself. */
  program = false,
): void {
  if (!known) return;
  const host = request.headers.get('host') ?? '';
  const named = [...known].some((origin) => new URL(origin).host === host.toLowerCase());
  if (!named) fail('not_from_here', {}, 421);
  if (program || reading.has(request.method)) return;
  const origin = request.headers.get('origin');
  if (origin === null || !known.has(origin)) fail('not_from_here', {}, 403);
}

/** Says with every answer what a browser may do with it; what a person was told is kept nowhere. */
export function protect(response: Response, path: string, encrypted = false): void {
  const { headers } = response;
  headers.set('permissions-policy', 'camera=(), geolocation=(), microphone=(), payment=(), usb=()');
  // Once reached over TLS, it is never again reached without.
  if (encrypted) headers.set('strict-transport-security', 'max-age=31536000');
  headers.set('x-content-type-options', 'nosniff');
  headers.set('referrer-policy', 'same-origin');
  headers.set('x-frame-options', 'DENY');
  headers.set('cross-origin-opener-policy', 'same-origin');
  headers.set('cross-origin-resource-policy', 'same-origin');
  const told = path.startsWith('/api/') || path.startsWith('/guest/');
  const page = headers.get('content-type')?.startsWith('text/html') === true;
  if (told || page || path.endsWith('/__data.json')) headers.set('cache-control', 'no-store');
}
