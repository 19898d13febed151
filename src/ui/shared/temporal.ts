/**
 * `Temporal` (ECMAScript) as the browser has it, or else as the package has it: it stands in for the package in what
 * browsers get (see `vite.config.ts`), so that only those bring it which need it.
 */
export const Temporal =
  (globalThis as { Temporal?: typeof import('temporal-polyfill').Temporal }).Temporal ??
  (await import('temporal-polyfill')).Temporal;
