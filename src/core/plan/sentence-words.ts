import { formatValue } from '../values/format';
import { isAmount, plainText, type ValueType } from '../values/types';
import type { Reader } from '../words/reader';
import { plural, say } from '../words/say';
import { operandOf, sentenceOf, type Clause, type Comparison, type Operand } from './sentences';

/** How a name of a formula is told: its label, and what it holds. */
export type Called = (path: readonly string[]) => { label: string; type: ValueType } | null;

/** The comparisons that go with values of a type, in the words that stand between them. */
export function comparisonsOf(type: ValueType): [Comparison, string][] {
  const same: [Comparison, string][] = [
    ['=', say('is')],
    ['!=', say('is not')],
  ];
  const empty: [Comparison, string][] = [
    ['filled', say('is filled in')],
    ['empty', say('is empty')],
  ];
  if (type.kind === 'yes_no' || type.kind === 'option') return [...same, ...empty];
  if (type.kind === 'reference') return [...empty, ...same];
  if (isAmount(type))
    return [
      ...same,
      ['<=', say('is at most')],
      ['>=', say('is at least')],
      ['<', say('is less than')],
      ['>', say('is more than')],
      ...empty,
    ];
  if (['date', 'date_time', 'time'].includes(type.kind))
    return [
      ...same,
      ['<=', say('is on or before')],
      ['>=', say('is on or after')],
      ['<', say('is before')],
      ['>', say('is after')],
      ...empty,
    ];
  return [...same, ['contains', say('contains')], ['starts with', say('begins with')], ...empty];
}

/** A formula in words: `Weeks is more than 12`; as it is written where a sentence cannot say it. */
export function formulaWords(source: string, called: Called, reader: Reader): string {
  const sentence = sentenceOf(source);
  const clauses = sentence?.clauses.map((clause) => clauseWords(clause, called, reader));
  if (!sentence || !clauses?.every((words) => words !== null)) return source;
  return clauses.join(` ${sentence.join === 'or' ? say('or') : say('and')} `);
}

function clauseWords(
  { path, compares, to }: Clause,
  called: Called,
  reader: Reader,
): string | null {
  const named = called(path);
  if (!named) return null;
  const words = comparisonsOf(named.type).find(([sign]) => sign === compares)?.[1];
  if (words === undefined) return null;
  if (!to) return `${named.label} ${words}`;
  const what = operandText(to, named.type, called, reader);
  return what === null ? null : `${named.label} ${words} ${what}`;
}

/** What a field begins with, in words: `today + 4 weeks`; as it is written where that is more. */
export function operandWords(
  source: string,
  type: ValueType,
  called: Called,
  reader: Reader,
): string {
  const operand = operandOf(source);
  return (operand && operandText(operand, type, called, reader)) ?? `= ${source}`;
}

function operandText(
  operand: Operand,
  type: ValueType,
  called: Called,
  reader: Reader,
): string | null {
  switch (operand.kind) {
    case 'name':
      return called(operand.path)?.label ?? null;
    case 'today':
      return todayWords(operand);
    case 'yes_no':
      return formatValue({ kind: 'yes_no' }, operand.value, reader);
    case 'date':
      return formatValue({ kind: 'date' }, operand.value, reader);
    default:
      return formatValue(
        isAmount(type) || type.kind === 'option' ? type : plainText,
        operand.value,
        reader,
      );
  }
}

function todayWords({ plus, unit }: Extract<Operand, { kind: 'today' }>): string {
  if (plus === 0) return say('today');
  const count = Math.abs(plus);
  const much =
    unit === 'months'
      ? plural(count, ['# month', '# months'])
      : unit === 'weeks'
        ? plural(count, ['# week', '# weeks'])
        : plural(count, ['# day', '# days']);
  return plus < 0 ? `${say('today')} − ${much}` : `${say('today')} + ${much}`;
}
