import { BROWSER } from 'esm-env';
import type { RE2JS } from 're2js';
import type { Feel } from '../feel';
import { longestResult, type Frame } from '../frame';

/** Patterns weigh as much as half a form: a page brings them when one of its formulas asks for them. */
let engine = BROWSER ? null : (await import('re2js')).RE2JS;

const asked = /\b(?:matches|replace|split)\s*\(/;

/** Whether a formula may ask for patterns. */
export const asksPatterns = (source: string): boolean => asked.test(source);

/** Whether a plan, or what was made of one, asks for patterns that the page does not have yet. */
export const lacksPatterns = (plan: unknown): boolean =>
  engine === null && asksPatterns(JSON.stringify(plan));

/** Brings the patterns to a page. */
export async function loadPatterns(): Promise<void> {
  engine ??= (await import('re2js')).RE2JS;
}

/** Patterns run in time linear to the text (RE2), so that none can hang a form. */
export function patternOf(pattern: string, flags: Feel, frame: Frame<unknown>): RE2JS | null {
  if (!engine) throw new Error('The patterns of texts are not loaded.');
  const named = typeof flags === 'string' ? flags : '';
  if (!/^[smixq]*$/.test(named)) return frame.warn('no_such_text_pattern');
  const name = `${named}/${pattern}`;
  const known = patterns.get(name);
  if (known) return known;
  frame.spend(pattern.length);
  const bits = [
    named.includes('i') ? engine.CASE_INSENSITIVE : 0,
    named.includes('s') ? engine.DOTALL : 0,
    named.includes('m') ? engine.MULTILINE : 0,
  ].reduce((a, b) => a | b);
  const sparse = named.includes('x') ? pattern.replace(/\s+/g, '') : pattern;
  try {
    const made = engine.compile(named.includes('q') ? engine.quote(pattern) : sparse, bits);
    if (patterns.size >= mostPatterns) patterns.clear();
    patterns.set(name, made);
    return made;
  } catch {
    return frame.warn('no_such_text_pattern');
  }
}

/** Patterns made ready before: most are written in a formula, and asked for in every row. */
const patterns = new Map<string, RE2JS>();
const mostPatterns = 100;

/** What is put in: texts and numbers of groups; `null` where a `$` or `\\` stands alone (XPath, fn:replace). */
export function replacementOf(put: string): (string | number)[] | null {
  const parts: (string | number)[] = [];
  const rest = put.replace(/\\([\\$])|\$(\d)|([^\\$]+)/gs, (_, escaped, group, plain) => {
    parts.push(group === undefined ? String(escaped ?? plain) : Number(group));
    return '';
  });
  return rest === '' ? parts : null;
}

/** A text with everything that the pattern finds replaced. */
export function replaced(
  compiled: RE2JS,
  subject: string,
  parts: readonly (string | number)[],
  frame: Frame<unknown>,
): Feel {
  const matcher = compiled.matcher(subject);
  const made: string[] = [];
  let [at, length] = [0, 0];
  frame.spend(subject.length / 10);
  while (matcher.find()) {
    const put = parts.map((part) => {
      if (typeof part === 'string') return part;
      return part <= matcher.groupCount() ? (matcher.group(part) ?? '') : '';
    });
    const next = [subject.slice(at, matcher.start()), ...put].join('');
    length += next.length;
    frame.spend(1 + next.length / 100);
    if (length > longestResult) return frame.warn('out_of_range');
    made.push(next);
    at = matcher.end();
  }
  return [...made, subject.slice(at)].join('');
}
