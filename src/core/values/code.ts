/**
 * The pattern of codes that are numbered automatically: fixed text, at most one `{yyyy}` (the year), and
 * one run of zeros in braces, as long as the number is to be at least: `L-{yyyy}-{0000}`.
 */
export const codePattern = /^[\w ./-]*(\{yyyy\}[\w ./-]*)?\{0{1,9}\}[\w ./-]*$/;

/** The longest code, in characters. */
export const longestCode = 60;

/** The code with this number; numbers start anew each year where the pattern has one. */
export function codeOf(pattern: string, year: number, number: number): string {
  return pattern
    .replace('{yyyy}', String(year).padStart(4, '0'))
    .replace(/\{(0+)\}/, (_, zeros: string) => String(number).padStart(zeros.length, '0'));
}

/** What stands before and behind the number in codes of a year. */
export function codeFrame(pattern: string, year: number): { before: string; behind: string } {
  const [before = '', behind = ''] = codeOf(pattern.replace(/\{0+\}/, '\u0000'), year, 0).split(
    '\u0000',
  );
  return { before, behind };
}
