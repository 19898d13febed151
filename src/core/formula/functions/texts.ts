import { say } from '../../words/say';
import { Decimal, isList, toText, type Feel } from '../feel';
import type { Frame } from '../frame';
import { longestResult } from '../frame';
import { any, listOf, number, text, yesNo } from '../kinds';
import { patternOf, replaced, replacementOf } from './patterns';
import type { FeelFunction, FeelFunctions } from './signature';

export const textFunctions: FeelFunctions = {
  'string length': of(
    () => say('how many characters it has'),
    number,
    ([s], frame) => {
      frame.spend(s.length / 100);
      return new Decimal([...s].length);
    },
  ),
  'upper case': of(
    () => say('in capitals'),
    text,
    ([s]) => s.toUpperCase(),
  ),
  'lower case': of(
    () => say('in small letters'),
    text,
    ([s]) => s.toLowerCase(),
  ),
  trim: of(
    () => say('without blanks at its ends'),
    text,
    ([s]) => s.trim(),
  ),
  contains: two(
    () => say('whether the second stands in it'),
    yesNo,
    (s, part) => s.includes(part),
  ),
  'starts with': two(
    () => say('whether it begins so'),
    yesNo,
    (s, part) => s.startsWith(part),
  ),
  'ends with': two(
    () => say('whether it ends so'),
    yesNo,
    (s, part) => s.endsWith(part),
  ),
  'substring before': two(
    () => say('what stands before the second'),
    text,
    (s, mark) => {
      const at = s.indexOf(mark);
      return at === -1 ? '' : s.slice(0, at);
    },
  ),
  'substring after': two(
    () => say('what stands behind the second'),
    text,
    (s, mark) => {
      const at = s.indexOf(mark);
      return at === -1 ? '' : s.slice(at + mark.length);
    },
  ),
  substring: {
    parameters: [text, number, number],
    optional: 1,
    gives: text,
    does: () => say('a part, from a place on (1 is the first, -1 the last), so many characters'),
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
    parameters: [listOf(text), text],
    optional: 1,
    gives: text,
    does: () => say('the texts of a list behind one another, with something between'),
    withAbsent: true,
    run: ([list = null, between], frame) => {
      if (list === null) return null;
      const parts = (isList(list) ? list : [list]).filter((part) => part !== null);
      frame.spend(parts.length);
      if (!parts.every((part) => typeof part === 'string')) return frame.warn('wrong_kind');
      const sign = (between ?? '') as string;
      const length = parts.reduce((sum, part) => sum + part.length + sign.length, 0);
      if (length > longestResult) return frame.warn('out_of_range');
      frame.spend(length / 10);
      return parts.join(sign);
    },
  },
  matches: {
    parameters: [text, text, text],
    optional: 1,
    gives: yesNo,
    withAbsent: true,
    does: () => say('whether a pattern (a regular expression) is found in it; flags s, m, i, x, q'),
    run: ([s = null, pattern = null, flags = null], frame) => {
      if (typeof s !== 'string' || typeof pattern !== 'string') return null;
      frame.spend(s.length / 10);
      const compiled = patternOf(pattern, flags, frame);
      return compiled && compiled.matcher(s).find();
    },
  },
  replace: {
    parameters: [text, text, text, text],
    optional: 1,
    gives: text,
    withAbsent: true,
    does: () =>
      say(
        'with every place that a pattern finds replaced; $1 is its first group, flags as in matches',
      ),
    run: ([s = null, pattern = null, by = null, flags = null], frame) => {
      const given = [s, pattern, by];
      if (!given.every((part) => typeof part === 'string')) return null;
      const [subject, sought, put] = given as [string, string, string];
      const compiled = patternOf(sought, flags, frame);
      const plain = typeof flags === 'string' && flags.includes('q');
      const parts = plain ? [put] : replacementOf(put);
      if (!compiled || !parts) return compiled && frame.warn('no_such_text_pattern');
      return replaced(compiled, subject, parts, frame);
    },
  },
  split: {
    parameters: [text, text],
    gives: listOf(text),
    does: () => say('the parts between the places that a pattern finds'),
    run: ([s, pattern], frame) => {
      frame.spend((s as string).length / 10);
      const compiled = patternOf(pattern as string, null, frame);
      const parts = compiled && compiled.split(s as string, -1);
      if (parts) frame.spend(parts.length);
      return parts;
    },
  },
  string: {
    parameters: [any],
    gives: text,
    does: () => say('the value as text'),
    run: ([value], frame) => toText(value ?? null, frame),
  },
};

function of(
  does: () => string,
  gives: FeelFunction['gives'],
  run: (given: [string], frame: Frame<unknown>) => Feel,
): FeelFunction {
  return { parameters: [text], gives, does, run: ([s], frame) => run([s as string], frame) };
}

function two(
  does: () => string,
  gives: FeelFunction['gives'],
  run: (s: string, other: string) => Feel,
): FeelFunction {
  return { parameters: [text, text], gives, does, run: ([a, b]) => run(a as string, b as string) };
}
