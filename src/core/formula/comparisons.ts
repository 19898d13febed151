import { say } from '../words/say';
import type { CompareSign } from '../values/compare-sign';
import { compare, FeelRange, isList, same, type Feel } from './feel';
import type { Frame } from './frame';
import { within } from './functions/ranges';
import * as kinds from './kinds';
import { fits, kindWords, type Kind } from './kinds';
import type { Compiling, Piece, Run, Scope } from './scope';
import type { Node, Test } from './syntax';

/** Makes a comparison of two values ready. */
export function compileCompare<H>(
  compiler: Compiling<H>,
  node: Extract<Node, { type: 'compare' }>,
  scope: Scope<H>,
): Piece<H> {
  const { sign } = node;
  const left = compiler.compile(node.left, scope);
  const right = compiler.compile(node.right, scope);
  if (sign === '=' || sign === '!=') {
    comparable(compiler, node, node.left, left, node.right, right);
    const run: Run<H> = (f) => {
      const equal = same(left.run(f), right.run(f), f);
      return equal === null ? null : equal === (sign === '=');
    };
    return { kind: kinds.yesNo, run };
  }
  ordered(compiler, node.left, left, node.right, right);
  return { kind: kinds.yesNo, run: (f) => inOrder(sign, left.run(f), right.run(f)) };
}

/** Makes `in` ready: whether any of its tests holds (DMN 1.5, 10.3.2.7). */
export function compileIn<H>(
  compiler: Compiling<H>,
  node: Extract<Node, { type: 'in' }>,
  scope: Scope<H>,
): Piece<H> {
  const of = compiler.compile(node.of, scope);
  const tests = node.tests.map((test) => tested(compiler, node, of, test, scope));
  const run: Run<H> = (f) => {
    const value = of.run(f);
    let unknown = false;
    for (const test of tests) {
      const holds = test(f, value);
      if (holds === true) return true;
      unknown ||= holds === null;
    }
    return unknown ? null : false;
  };
  return { kind: kinds.yesNo, run };
}

function tested<H>(
  compiler: Compiling<H>,
  node: Extract<Node, { type: 'in' }>,
  of: Piece<H>,
  { sign, to }: Test,
  scope: Scope<H>,
): (f: Frame<H>, value: Feel) => boolean | null {
  const against = compiler.compile(to, scope);
  if (sign !== null && sign !== '=' && sign !== '!=') {
    ordered(compiler, node.of, of, to, against);
    return (f, value) => inOrder(sign, value, against.run(f));
  }
  const item = ['list', 'range'].includes(against.kind.is)
    ? { ...against, kind: (against.kind as { of: Kind }).of }
    : against;
  comparable(compiler, node, node.of, of, to, item);
  return (f, value) => {
    const wanted = against.run(f);
    if (wanted instanceof FeelRange) return within(wanted, value);
    if (isList(wanted) && !isList(value)) {
      f.spend(wanted.length);
      return wanted.some((other) =>
        other instanceof FeelRange ? within(other, value) === true : same(other, value, f) === true,
      );
    }
    const equal = same(value, wanted, f);
    return sign === '!=' && equal !== null ? !equal : equal;
  };
}

/** Makes `between` ready, ends included. */
export function compileBetween<H>(
  compiler: Compiling<H>,
  node: Extract<Node, { type: 'between' }>,
  scope: Scope<H>,
): Piece<H> {
  const of = compiler.compile(node.of, scope);
  const low = compiler.compile(node.low, scope);
  const high = compiler.compile(node.high, scope);
  ordered(compiler, node.of, of, node.low, low);
  ordered(compiler, node.of, of, node.high, high);
  const run: Run<H> = (f) => {
    const value = of.run(f);
    const [from, to] = [inOrder('>=', value, low.run(f)), inOrder('<=', value, high.run(f))];
    if (from === false || to === false) return false;
    return from === null || to === null ? null : true;
  };
  return { kind: kinds.yesNo, run };
}

/** `> 5` by itself: the range of all values for which it holds (DMN 1.5, 10.3.2.7). */
export function compileUnary<H>(
  compiler: Compiling<H>,
  node: Extract<Node, { type: 'unary' }>,
  scope: Scope<H>,
): Piece<H> {
  const { sign } = node;
  const to = compiler.compile(node.against, scope);
  ordered(compiler, node.against, to, node.against, to);
  const kind: Kind = { is: 'range', of: to.kind };
  switch (sign) {
    case '<':
    case '<=':
      return { kind, run: (f) => new FeelRange(undefined, to.run(f), false, sign === '<=') };
    case '>':
    case '>=':
      return { kind, run: (f) => new FeelRange(to.run(f), undefined, sign === '>=', false) };
    case '=':
      return {
        kind,
        run: (f) => {
          const at = to.run(f);
          return new FeelRange(at, at, true, true);
        },
      };
    case '!=':
      return compiler.refuse('formula_unsupported', node, { given: compiler.text(node) });
  }
}

/** Refuses a comparison of what can never be the same. */
function comparable<H>(
  compiler: Compiling<H>,
  node: Node,
  a: Node,
  left: Piece<H>,
  b: Node,
  right: Piece<H>,
): void {
  if (fits(left.kind, right.kind) || fits(right.kind, left.kind)) return;
  compiler.refuse('formula_comparison', node, {
    left: compiler.text(a),
    leftKind: kindWords(left.kind),
    right: compiler.text(b),
    rightKind: kindWords(right.kind),
  });
}

/** Refuses what has no order with one another. */
export function ordered<H>(
  compiler: Compiling<H>,
  a: Node,
  left: Piece<H>,
  b: Node,
  right: Piece<H>,
): void {
  comparable(compiler, { ...a, from: a.from, to: Math.max(a.to, b.to) }, a, left, b, right);
  for (const [node, { kind }] of [[a, left] as const, [b, right] as const]) {
    if (!['yes_no', 'list', 'range', 'record'].includes(kind.is)) continue;
    const details = {
      given: compiler.text(node),
      kind: kindWords(kind),
      wanted: say('a number, a text or a date'),
    };
    compiler.refuse('formula_wrong_kind', node, details);
  }
}

function inOrder(sign: CompareSign, a: Feel, b: Feel): boolean | null {
  const order = compare(a, b);
  if (order === null) return null;
  switch (sign) {
    case '<':
      return order < 0;
    case '<=':
      return order <= 0;
    case '>':
      return order > 0;
    case '>=':
      return order >= 0;
    case '=':
      return order === 0;
    case '!=':
      return order !== 0;
  }
}
