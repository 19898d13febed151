import type { SyntaxNode } from '@lezer/common';
import { parser } from 'lezer-feel';
import { problem, type Details, type Problem, type ProblemCode } from '../problems';

/** Something wrong in a formula, with its place in the text. */
export interface FormulaProblem {
  from: number;
  to: number;
  problem: Problem;
}

interface At {
  from: number;
  to: number;
}

export type ArithmeticSign = '+' | '-' | '*' | '/' | '**';
export type CompareSign = '=' | '!=' | '<' | '<=' | '>' | '>=';

/** A formula as a tree, every node with its place. */
export type Node = At &
  (
    | { type: 'number'; written: string }
    | { type: 'text'; value: string }
    | { type: 'yes_no'; value: boolean }
    | { type: 'null' }
    | { type: 'temporal'; what: string; written: string }
    | { type: 'name'; name: string }
    | { type: 'path'; of: Node; key: string }
    | { type: 'filter'; of: Node; by: Node }
    | { type: 'call'; name: string; parameters: Node[] }
    | { type: 'arithmetic'; sign: ArithmeticSign; left: Node; right: Node }
    | { type: 'negative'; of: Node }
    | { type: 'compare'; sign: CompareSign; left: Node; right: Node }
    | { type: 'between'; of: Node; low: Node; high: Node }
    | { type: 'in'; of: Node; tests: Test[] }
    | { type: 'and' | 'or'; left: Node; right: Node }
    | { type: 'if'; when: Node; then: Node; otherwise: Node }
    | { type: 'for'; over: Loop[]; give: Node }
    | { type: 'some' | 'every'; over: Loop[]; holds: Node }
    | { type: 'list'; items: Node[] }
    | { type: 'range'; low: Node; high: Node; withLow: boolean; withHigh: boolean }
    | { type: 'context'; entries: { key: string; value: Node }[] }
  );

/** A test behind `in`: a value, a range, or a comparison with what stands before `in`. */
export type Test = { sign: CompareSign; to: Node } | { sign: null; to: Node };

/** A variable that runs over a list, or from one number to another. */
export interface Loop {
  name: string;
  list: Node;
  /** The end of `a..b`, where the loop counts. */
  until: Node | null;
}

/** The longest formula, in characters. */
export const longestFormula = 5000;
/** The deepest nesting. */
export const deepestFormula = 250;

type ReadFormula = { tree: Node } | { problem: FormulaProblem };

/** Formulas read before: a form is examined anew at each change, and nearly all of it is as it was. */
const known = new Map<string, ReadFormula>();
const mostKnown = 2000;

/** Reads a formula. Gives its tree, or the first thing that is wrong with its writing. */
export function readFormula(source: string): ReadFormula {
  const before = known.get(source);
  if (before) return before;
  const found = readAnew(source);
  if (known.size >= mostKnown) known.clear();
  known.set(source, found);
  return found;
}

function readAnew(source: string): ReadFormula {
  const whole = { from: 0, to: source.length };
  if (source.trim() === '') return { problem: told('formula_empty', whole) };
  if (source.length > longestFormula) {
    return { problem: told('formula_too_long', whole, { limit: longestFormula }) };
  }
  const tree = parser.parse(source);
  const cursor = tree.cursor();
  let depth = 0;
  let deepest = 0;
  do {
    if (cursor.type.isError) return { problem: unreadable(source, cursor.from) };
  } while (cursor.next());
  tree.iterate({
    enter: () => void (deepest = Math.max(deepest, ++depth)),
    leave: () => void depth--,
  });
  if (deepest > deepestFormula) {
    return { problem: told('formula_too_deep', whole, { limit: deepestFormula }) };
  }
  const first = tree.topNode.firstChild;
  try {
    return first ? { tree: read(first, source) } : { problem: unreadable(source, 0) };
  } catch (error) {
    if (error instanceof Unsupported) return { problem: error.told };
    throw error;
  }
}

/** A problem at a place of a formula. */
export function told(code: ProblemCode, { from, to }: At, details: Details = {}): FormulaProblem {
  return { from, to, problem: problem(code, details) };
}

/** A problem with a formula as a whole. */
export function wholeProblem(source: string, code: ProblemCode, details: Details): FormulaProblem {
  return told(code, { from: 0, to: source.length }, details);
}

class Unsupported extends Error {
  constructor(readonly told: FormulaProblem) {
    super(told.problem.message);
  }
}

function unreadable(source: string, from: number): FormulaProblem {
  const rest = source.slice(from).trim();
  const at = { from: Math.min(from, source.length), to: source.length };
  return rest === '' ? told('formula_unfinished', at) : told('formula_unreadable', at, { rest });
}

function refuse(node: SyntaxNode, source: string): never {
  const given = source.slice(node.from, node.to);
  throw new Unsupported(told('formula_unsupported', node, { given }));
}

function read(node: SyntaxNode, source: string): Node {
  const at = { from: node.from, to: node.to };
  const words = (of: SyntaxNode = node) => source.slice(of.from, of.to);
  const parts = partsOf(node);
  const part = (i: number): Node => {
    const found = parts[i];
    return found ? read(found, source) : refuse(node, source);
  };
  switch (node.name) {
    case 'ParenthesizedExpression':
      return part(0);
    case 'NumericLiteral':
      return { ...at, type: 'number', written: words() };
    case 'StringLiteral':
      return { ...at, type: 'text', value: unquoted(words()) };
    case 'BooleanLiteral':
      return { ...at, type: 'yes_no', value: words() === 'true' };
    case 'null':
      return { ...at, type: 'null' };
    case 'VariableName':
      return { ...at, type: 'name', name: nameOf(words()) };
    case 'DateTimeLiteral':
      return readTemporal(node, source);
    case 'PathExpression': {
      const key = node.getChild('PathName');
      return key ? { ...at, type: 'path', of: part(0), key: words(key) } : refuse(node, source);
    }
    case 'FilterExpression':
      return { ...at, type: 'filter', of: part(0), by: part(1) };
    case 'FunctionInvocation':
      return readCall(node, source);
    case 'ArithmeticExpression': {
      const sign = words(node.getChild('ArithOp') ?? node) as ArithmeticSign;
      if (parts.length === 1) return { ...at, type: 'negative', of: part(0) };
      return { ...at, type: 'arithmetic', sign, left: part(0), right: part(1) };
    }
    case 'Comparison':
      return readComparison(node, source, parts);
    case 'Conjunction':
      return { ...at, type: 'and', left: part(0), right: part(1) };
    case 'Disjunction':
      return { ...at, type: 'or', left: part(0), right: part(1) };
    case 'IfExpression':
      return { ...at, type: 'if', when: part(0), then: part(1), otherwise: part(2) };
    case 'ForExpression':
      return { ...at, type: 'for', over: readLoops(node, source), give: part(parts.length - 1) };
    case 'QuantifiedExpression': {
      const type = node.firstChild?.name === 'some' ? 'some' : 'every';
      return { ...at, type, over: readLoops(node, source), holds: part(parts.length - 1) };
    }
    case 'List':
      return { ...at, type: 'list', items: parts.map((p) => read(p, source)) };
    case 'SimplePositiveUnaryTest': {
      const range = node.getChild('Interval');
      return range && parts.length === 1 ? read(range, source) : refuse(node, source);
    }
    case 'Interval': {
      const [withLow, withHigh] = [words()[0] === '[', words().endsWith(']')];
      return { ...at, type: 'range', low: part(0), high: part(1), withLow, withHigh };
    }
    case 'Context': {
      const entries = node.getChildren('ContextEntry').map((entry) => {
        const [key, value] = partsOf(entry);
        if (!key || !value) return refuse(entry, source);
        const written = words(key);
        const name = written.startsWith('"') ? unquoted(written) : nameOf(written);
        return { key: name, value: read(value, source) };
      });
      return { ...at, type: 'context', entries };
    }
    default:
      return refuse(node, source);
  }
}

/** The children that carry meaning: no signs, no key words. */
function partsOf(node: SyntaxNode): SyntaxNode[] {
  const parts: SyntaxNode[] = [];
  for (let child = node.firstChild; child; child = child.nextSibling) {
    if (/^[A-Z]/.test(child.name) && !signs.has(child.name)) parts.push(child);
    else if (child.name === 'null') parts.push(child);
  }
  return parts;
}

const signs = new Set(['ArithOp', 'CompareOp', 'PathName', 'InExpressions']);

function readComparison(node: SyntaxNode, source: string, parts: SyntaxNode[]): Node {
  const at = { from: node.from, to: node.to };
  const [of, ...rest] = parts;
  if (!of) return refuse(node, source);
  if (node.getChild('between')) {
    const [low, high] = rest;
    if (!low || !high) return refuse(node, source);
    const ends = { low: read(low, source), high: read(high, source) };
    return { ...at, type: 'between', of: read(of, source), ...ends };
  }
  if (node.getChild('in')) {
    const tests = rest.flatMap((test) => {
      return test.name === 'PositiveUnaryTests' ? test.getChildren('PositiveUnaryTest') : [test];
    });
    const readTests = tests.map((test) => readTest(test, source));
    return { ...at, type: 'in', of: read(of, source), tests: readTests };
  }
  const sign = node.getChild('CompareOp');
  const [right] = rest;
  if (!sign || !right) return refuse(node, source);
  const written = source.slice(sign.from, sign.to) as CompareSign;
  return {
    ...at,
    type: 'compare',
    sign: written,
    left: read(of, source),
    right: read(right, source),
  };
}

function readTest(test: SyntaxNode, source: string): Test {
  let [inner] = partsOf(test);
  while (inner?.name === 'ParenthesizedExpression') [inner] = partsOf(inner);
  if (!inner) return refuse(test, source);
  const sign = inner.name === 'SimplePositiveUnaryTest' ? inner.getChild('CompareOp') : null;
  const [to] = partsOf(inner);
  if (sign && to) {
    return { sign: source.slice(sign.from, sign.to) as CompareSign, to: read(to, source) };
  }
  return { sign: null, to: read(inner, source) };
}

function readCall(node: SyntaxNode, source: string): Node {
  const name = node.firstChild;
  const given = node.getChild('PositionalParameters');
  if (!name || !given || !['VariableName', 'SpecialFunctionName'].includes(name.name)) {
    return refuse(node, source);
  }
  const parameters = partsOf(given).map((parameter) => read(parameter, source));
  const called = nameOf(source.slice(name.from, name.to));
  return { from: node.from, to: node.to, type: 'call', name: called, parameters };
}

/** `date("…")` with a fixed text is a literal; with anything else it is a call like others. */
function readTemporal(node: SyntaxNode, source: string): Node {
  const at = { from: node.from, to: node.to };
  const literal = node.getChild('AtLiteral')?.getChild('StringLiteral');
  if (literal) {
    const written = unquoted(source.slice(literal.from, literal.to));
    return { ...at, type: 'temporal', what: '@', written };
  }
  const maker = node.getChild('DateTimeConstructor');
  const given = node.getChild('PositionalParameters');
  if (!maker || !given) return refuse(node, source);
  const what = nameOf(source.slice(maker.from, maker.to));
  const parameters = partsOf(given);
  const [only] = parameters;
  if (parameters.length === 1 && only?.name === 'StringLiteral') {
    return { ...at, type: 'temporal', what, written: unquoted(source.slice(only.from, only.to)) };
  }
  return { ...at, type: 'call', name: what, parameters: parameters.map((p) => read(p, source)) };
}

function readLoops(node: SyntaxNode, source: string): Loop[] {
  const loops = node.getChild('InExpressions')?.getChildren('InExpression') ?? [];
  return loops.map((loop) => {
    const name = loop.getChild('Name');
    const over = loop.getChild('IterationContext');
    const [list, until] = over ? partsOf(over) : [];
    if (!name || !list) return refuse(loop, source);
    return {
      name: nameOf(source.slice(name.from, name.to)),
      list: read(list, source),
      until: until ? read(until, source) : null,
    };
  });
}

function nameOf(written: string): string {
  return written.trim().replace(/\s+/g, ' ');
}

function unquoted(literal: string): string {
  try {
    return JSON.parse(literal.replace(/\n/g, '\\n').replace(/\t/g, '\\t')) as string;
  } catch {
    return literal.slice(1, -1);
  }
}
