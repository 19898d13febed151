import { RE2JS } from 're2js';
import { Decimal, toText, type Feel } from '../feel';
import type { Frame } from '../frame';
import { any, listOf, number, text, yesNo } from '../kinds';
import type { FeelFunction, FeelFunctions } from './signature';

/** A text no longer than this comes out of a function. */
const longestResult = 1_000_000;

export const textFunctions: FeelFunctions = {
  'string length': of('how many characters it has', number, ([s]) => new Decimal([...s].length)),
  'upper case': of('in capitals', text, ([s]) => s.toUpperCase()),
  'lower case': of('in small letters', text, ([s]) => s.toLowerCase()),
  trim: of('without blanks at its ends', text, ([s]) => s.trim()),
  contains: two('whether the second stands in it', yesNo, (s, part) => s.includes(part)),
  'starts with': two('whether it begins so', yesNo, (s, part) => s.startsWith(part)),
  'ends with': two('whether it ends so', yesNo, (s, part) => s.endsWith(part)),
  'substring before': two('what stands before the second', text, (s, mark) => {
    const at = s.indexOf(mark);
    return at === -1 ? '' : s.slice(0, at);
  }),
  'substring after': two('what stands behind the second', text, (s, mark) => {
    const at = s.indexOf(mark);
    return at === -1 ? '' : s.slice(at + mark.length);
  }),
  substring: {
    takes: [text, number, number],
    optional: 1,
    gives: text,
    does: 'a part, from a place on (1 is the first, -1 the last), so many characters',
    run: ([given, start, length]) => {
      const characters = [...(given as string)];
      const from = (start as Decimal).toNumber();
      if (!Number.isInteger(from) || from === 0) return null;
      const begin = from > 0 ? from - 1 : Math.max(0, characters.length + from);
      const many = length === undefined ? characters.length : (length as Decimal).toNumber();
      return many < 0 ? null : characters.slice(begin, begin + many).join('');
    },
  },
  'string join': {
    takes: [listOf(text), text],
    optional: 1,
    gives: text,
    does: 'the texts of a list behind one another, with something between',
    run: ([list, between], frame) => {
      const parts = (list as readonly Feel[]).filter((part) => part !== null);
      frame.spend(parts.length);
      if (!parts.every((part) => typeof part === 'string')) return frame.warn('wrong_kind');
      const length = parts.reduce((sum, part) => sum + part.length, 0);
      frame.spend(length / 10);
      return parts.join((between as string | undefined) ?? '');
    },
  },
  matches: {
    takes: [text, text],
    gives: yesNo,
    does: 'whether a pattern (a regular expression) is found in it',
    run: ([s, pattern], frame) => {
      const compiled = patternOf(pattern as string, frame);
      return compiled && compiled.matcher(s as string).find();
    },
  },
  replace: {
    takes: [text, text, text],
    gives: text,
    does: 'with every place that a pattern finds replaced',
    run: ([s, pattern, by], frame) => {
      const compiled = patternOf(pattern as string, frame);
      if (!compiled) return null;
      const replaced = compiled.matcher(s as string).replaceAll(by as string);
      return replaced.length > longestResult ? frame.warn('wrong_kind') : replaced;
    },
  },
  split: {
    takes: [text, text],
    gives: listOf(text),
    does: 'the parts between the places that a pattern finds',
    run: ([s, pattern], frame) => {
      const compiled = patternOf(pattern as string, frame);
      return compiled && compiled.split(s as string, -1);
    },
  },
  string: {
    takes: [any],
    gives: text,
    does: 'the value as text',
    run: ([value]) => toText(value ?? null),
  },
};

/** Patterns run in time linear to the text (RE2), so that none can hang a form. */
function patternOf(pattern: string, frame: Frame<unknown>): RE2JS | null {
  try {
    return RE2JS.compile(pattern);
  } catch {
    return frame.warn('no_such_text_pattern');
  }
}

function of(
  does: string,
  gives: FeelFunction['gives'],
  run: (given: [string]) => Feel,
): FeelFunction {
  return { takes: [text], gives, does, run: ([s]) => run([s as string]) };
}

function two(
  does: string,
  gives: FeelFunction['gives'],
  run: (s: string, other: string) => Feel,
): FeelFunction {
  return { takes: [text, text], gives, does, run: ([a, b]) => run(a as string, b as string) };
}
