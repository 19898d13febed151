import { num, say } from './say';

/** From so many records on, how many a table has is told about. */
export const aboutFrom = 20_000;

/** A number rounded to two digits, as estimates deserve: 992,802 is about 990,000. */
export function aboutSo(n: number): number {
  const unit = 10 ** Math.max(0, Math.floor(Math.log10(Math.max(1, n))) - 1);
  return Math.round(n / unit) * unit;
}

/** How many were found, counted up to a bound: `400`, `more than 10,000`. */
export function foundWords(found: number, more: boolean): string {
  return more ? say(`more than ${num(found)}`) : num(found);
}

/** How many records a table has, in words: `1,200`, `about 990,000`. */
export function countWords(n: number): string {
  return n >= aboutFrom ? say(`about ${num(aboutSo(n))}`) : num(n);
}
