import type { SyntaxNode } from '@lezer/common';
import { parser } from 'lezer-feel';
import { compareSigns, type CompareSign } from '../values/compare-sign';
import {
  deepestFormula,
  formulaProblem,
  longestFormula,
  type ArithmeticSign,
  type At,
  type FormulaProblem,
  type Loop,
  type Node,
  type ReadFormula,
  type Test,
} from './syntax';

/** Reads a formula by the grammar of FEEL. */
export function parseFormula(source: string): ReadFormula {
  const whole = { from: 0, to: source.length };
  if (source.trim() === '') return { problem: formulaProblem('formula_empty', whole) };
  if (source.length > longestFormula) {
    return { problem: formulaProblem('formula_too_long', whole, { limit: longestFormula }) };
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
    return { problem: formulaProblem('formula_too_deep', whole, { limit: deepestFormula }) };
  }
  const [first] = partsOf(tree.topNode);
  try {
    return first ? { tree: read(first, source) } : { problem: unreadable(source, 0) };
  } catch (error) {
    if (error instanceof Unsupported) return { problem: error.told };
    throw error;
  }
}

class Unsupported extends Error {
  constructor(readonly told: FormulaProblem) {
    super(told.problem.message);
  }
}

function unreadable(source: string, from: number): FormulaProblem {
  const rest = source.slice(from).trim();
  const at = { from: Math.min(from, source.length), to: source.length };
  return rest === ''
    ? formulaProblem('formula_unfinished', at)
    : formulaProblem('formula_unreadable', at, { rest });
}

function refuse(node: SyntaxNode, source: string): never {
  const given = source.slice(node.from, node.to);
  throw new Unsupported(formulaProblem('formula_unsupported', node, { given }));
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
      // A copy: what stands in brackets is whole, and nothing of it is taken apart.
      return { ...part(0) };
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
      return joined('and', part(0), part(1));
    case 'Disjunction':
      return joined('or', part(0), part(1));
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
      if (range && parts.length === 1) return read(range, source);
      const sign = node.getChild('CompareOp');
      if (!sign || parts.length !== 1) return refuse(node, source);
      return { ...at, type: 'unary', sign: signOf(words(sign)), against: part(0) };
    }
    case 'FunctionDefinition': {
      const named = node.getChild('FormalParameters')?.getChildren('FormalParameter') ?? [];
      const body = node.getChild('FunctionBody');
      const [inner] = body ? partsOf(body) : [];
      if (!inner) return refuse(node, source);
      const parameters = named.map((each) => nameOf(words(each.getChild('ParameterName') ?? each)));
      return { ...at, type: 'function', parameters, body: read(inner, source) };
    }
    case 'InstanceOfExpression':
      return readInstance(node, source, parts);
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

const signs = new Set([
  'ArithOp',
  'CompareOp',
  'PathName',
  'InExpressions',
  'LineComment',
  'BlockComment',
]);

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
    const [several] = rest;
    if (several?.name !== 'PositiveUnaryTests') return readSingleIn(at, of, rest, source);
    const tests = several.getChildren('PositiveUnaryTest').map((test) => readTest(test, source));
    return { ...at, type: 'in', of: read(of, source), tests };
  }
  const sign = node.getChild('CompareOp');
  const [right] = rest;
  if (!sign || !right) return refuse(node, source);
  const written = signOf(source.slice(sign.from, sign.to));
  return {
    ...at,
    type: 'compare',
    sign: written,
    left: read(of, source),
    right: read(right, source),
  };
}

/** Nodes whose right or left side may still go to an operator that binds less, as no brackets hold them. */
const loose = new WeakSet<Node>();

/**
 * `a and b` where `b` is `x in t or c`: `and` binds more than `or`, so it takes only what stands beside it.
 */
function joined(type: 'and' | 'or', left: Node, right: Node): Node {
  const at = { from: left.from, to: right.to };
  if (type === 'and' && right.type === 'or' && loose.has(right)) {
    const inner = joined('and', left, right.left);
    const made: Node = { ...at, type: 'or', left: inner, right: right.right };
    loose.add(made);
    return made;
  }
  return { ...at, type, left, right };
}

/**
 * `x in t` with a single test. The grammar takes all that follows as part of the test (`x in t and y`), but
 * `in` binds more than `and`, `or` and comparisons: what follows is taken out of it again.
 */
function readSingleIn(at: At, of: SyntaxNode, rest: SyntaxNode[], source: string): Node {
  let [test] = rest;
  if (test?.name === 'PositiveUnaryTest') [test] = partsOf(test);
  if (!test) return refuse(of, source);
  const subject = read(of, source);
  const within = (test: Test, to: number): Node => ({
    from: at.from,
    to,
    type: 'in',
    of: subject,
    tests: [test],
  });
  return outOf(test, source, within);
}

type Within = (test: Test, to: number) => Node;

function outOf(node: SyntaxNode, source: string, within: Within): Node {
  const [first, second] = partsOf(node);
  const type = { Conjunction: 'and', Disjunction: 'or' }[node.name] as 'and' | 'or' | undefined;
  if (type && first && second) {
    const made = joined(type, outOf(first, source, within), read(second, source));
    loose.add(made);
    return made;
  }
  const sign = node.getChild('CompareOp');
  if (node.name === 'Comparison' && sign && first && second) {
    const left = outOf(first, source, within);
    const written = signOf(source.slice(sign.from, sign.to));
    const [from, to] = [left.from, node.to];
    return { from, to, type: 'compare', sign: written, left, right: read(second, source) };
  }
  if (node.name === 'SimplePositiveUnaryTest' && sign && first) {
    const written = signOf(source.slice(sign.from, sign.to));
    return operandOf(first, source, (to, end) => within({ sign: written, to }, end));
  }
  return within({ sign: null, to: read(node, source) }, node.to);
}

/** `> 1 and y`: only what stands beside the sign belongs to it. */
function operandOf(
  node: SyntaxNode,
  source: string,
  made: (operand: Node, to: number) => Node,
): Node {
  const [first, second] = partsOf(node);
  const type = { Conjunction: 'and', Disjunction: 'or' }[node.name] as 'and' | 'or' | undefined;
  if (!type || !first || !second) return made(read(node, source), node.to);
  const left = operandOf(first, source, made);
  const both = joined(type, left, read(second, source));
  loose.add(both);
  return both;
}

function readInstance(node: SyntaxNode, source: string, [of, type]: SyntaxNode[]): Node {
  if (!of || type?.name !== 'Type') return refuse(node, source);
  const at = { from: node.from, to: node.to };
  const written = nameOf(source.slice(type.from, type.to));
  const [, named = '', item = null] = /^([^<]+?)\s*(?:<\s*([^<>]+?)\s*>)?$/.exec(written) ?? [];
  if (named === '') return refuse(node, source);
  return { ...at, type: 'instance', of: read(of, source), named, item };
}

function readTest(test: SyntaxNode, source: string): Test {
  let [inner] = partsOf(test);
  while (inner?.name === 'ParenthesizedExpression') [inner] = partsOf(inner);
  if (!inner) return refuse(test, source);
  const sign = inner.name === 'SimplePositiveUnaryTest' ? inner.getChild('CompareOp') : null;
  const [to] = partsOf(inner);
  if (sign && to) {
    return { sign: signOf(source.slice(sign.from, sign.to)), to: read(to, source) };
  }
  return { sign: null, to: read(inner, source) };
}

function readCall(node: SyntaxNode, source: string): Node {
  const [name] = partsOf(node);
  const byName = node.getChild('NamedParameters');
  if (name && byName) return readNamedCall(node, name, byName, source);
  const given = node.getChild('PositionalParameters');
  if (!name || !given || !['VariableName', 'SpecialFunctionName'].includes(name.name)) {
    return refuse(node, source);
  }
  const parameters = partsOf(given).map((parameter) => read(parameter, source));
  const called = nameOf(source.slice(name.from, name.to));
  return { from: node.from, to: node.to, type: 'call', name: called, parameters };
}

/** `substring(string: "abc", start position: 2)`. */
function readNamedCall(
  node: SyntaxNode,
  name: SyntaxNode,
  given: SyntaxNode,
  source: string,
): Node {
  const named: string[] = [];
  const parameters = given.getChildren('NamedParameter').map((each) => {
    const [key, value] = partsOf(each);
    if (!key || !value) return refuse(each, source);
    named.push(nameOf(source.slice(key.from, key.to)));
    return read(value, source);
  });
  const called = nameOf(source.slice(name.from, name.to));
  return { from: node.from, to: node.to, type: 'call', name: called, parameters, named };
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
  const byName = node.getChild('NamedParameters');
  if (maker && byName) return readNamedCall(node, maker, byName, source);
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

const escapes: Readonly<Record<string, string>> = { n: '\n', r: '\r', t: '\t', b: '\b', f: '\f' };

/** A text as it is meant: `\\n`, `\\"`, `\\'`, `\\u00e9`, `\\U01F40E` (DMN 1.5, grammar rules 35 and 66). */
function unquoted(literal: string): string {
  return literal
    .slice(1, -1)
    .replace(/\\(?:U([0-9a-fA-F]{6})|u([0-9a-fA-F]{4})|(.))/gs, (whole, long, short, sign) => {
      const code = parseInt(String(long ?? short ?? ''), 16);
      if (Number.isNaN(code)) {
        const plain = `"'\\\\/`.includes(String(sign)) ? String(sign) : String(whole);
        return escapes[String(sign)] ?? plain;
      }
      return code <= 0x10ffff ? String.fromCodePoint(code) : String(whole);
    });
}

/** A sign as the grammar lets it stand there. */
function signOf(written: string): CompareSign {
  return compareSigns.find((sign) => sign === written) ?? '=';
}
