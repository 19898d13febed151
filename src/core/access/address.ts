/** A page of our own to which somebody is led after signing in; the first page where it is none. */
export function inHere(address: string | null): string {
  const here = 'http://unisor.invalid';
  if (address === null || !address.startsWith('/') || !URL.canParse(address, here)) return '/';
  const { origin, pathname, search, hash } = new URL(address, here);
  const way = pathname + search + hash;
  // `//host`, also written with backslashes or tabs, would lead elsewhere.
  return origin === here && !way.startsWith('//') && !/[\\\p{Cc}]/u.test(address) ? way : '/';
}
