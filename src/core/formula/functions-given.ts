import { isNumber } from './feel';
import type { Compiling, Piece, Scope } from './scope';
import { isList, type Feel } from './feel';
import type { Frame } from './frame';
import * as kinds from './kinds';
import type { Kind } from './kinds';
import type { Node } from './syntax';

type Call = Extract<Node, { type: 'call' }>;
type Given = Extract<Node, { type: 'function' }>;

/** The functions that take a function; it is written where they are called, and nowhere else. */
export const higherFunctions: Readonly<Record<string, string>> = {
  sort: 'the list in the order that a function of two items says: sort(l, function(x, y) x < y)',
  'list replace': 'the list with the item at a place, or the items that a function finds, replaced',
};

/** Makes `sort` or `list replace` ready. */
export function compileHigher<H>(compiler: Compiling<H>, node: Call, scope: Scope<H>): Piece<H> {
  return node.name === 'sort' ? sort(compiler, node, scope) : replace(compiler, node, scope);
}

/** A written function made ready: its body, and where its variables stand. */
function given<H>(
  compiler: Compiling<H>,
  node: Node | undefined,
  takes: readonly Kind[],
  scope: Scope<H>,
): { holds: (frame: Frame<H>, values: readonly Feel[]) => boolean } | null {
  if (node?.type !== 'function') return null;
  const { parameters, body } = node satisfies Given;
  if (parameters.length !== takes.length) {
    const taken = `${takes.length} ${takes.length === 1 ? 'value' : 'values'}`;
    const details = { name: 'function', taken, given: parameters.length };
    return compiler.refuse('formula_parameters', node, details);
  }
  let inner = scope;
  const places = parameters.map((name, i) => {
    const made = inner.with(name, takes[i] ?? kinds.any);
    inner = made.scope;
    return made.at;
  });
  const { run } = compiler.compile(body, inner);
  return {
    holds: (frame, values) => {
      frame.spend(1);
      places.forEach((at, i) => (frame.locals[at] = values[i] ?? null));
      return run(frame) === true;
    },
  };
}

function itemsOf(value: Feel): Feel[] {
  return isList(value) ? [...value] : [value];
}

function itemKind(kind: Kind): Kind {
  return kind.is === 'list' ? kind.of : kind;
}

function sort<H>(compiler: Compiling<H>, node: Call, scope: Scope<H>): Piece<H> {
  const [listNode, byNode, ...more] = node.parameters;
  if (!listNode || !byNode || more.length > 0) return refuseCount(compiler, node, '2 values');
  const list = compiler.compile(listNode, scope);
  const item = itemKind(list.kind);
  const precedes = given(compiler, byNode, [item, item], scope);
  if (!precedes) return refuseFunction(compiler, byNode);
  const run = (frame: Frame<H>): Feel => {
    const value = list.run(frame);
    if (value === null) return null;
    // Steady: what precedes neither way stays in its order.
    return itemsOf(value).sort((a, b) => {
      if (precedes.holds(frame, [a, b])) return -1;
      return precedes.holds(frame, [b, a]) ? 1 : 0;
    });
  };
  return { kind: kinds.listOf(item), run };
}

function replace<H>(compiler: Compiling<H>, node: Call, scope: Scope<H>): Piece<H> {
  const [listNode, placeNode, newNode, ...more] = node.parameters;
  if (!listNode || !placeNode || !newNode || more.length > 0) {
    return refuseCount(compiler, node, '3 values');
  }
  const list = compiler.compile(listNode, scope);
  const fresh = compiler.compile(newNode, scope);
  const item = itemKind(list.kind);
  const kind = kinds.listOf(kinds.join(item, fresh.kind));
  const match = given(compiler, placeNode, [item, fresh.kind], scope);
  if (match) {
    const run = (frame: Frame<H>): Feel => {
      const [value, put] = [list.run(frame), fresh.run(frame)];
      if (value === null) return null;
      return itemsOf(value).map((each) => (match.holds(frame, [each, put]) ? put : each));
    };
    return { kind, run };
  }
  const place = compiler.compile(placeNode, scope);
  if (!kinds.fits(place.kind, kinds.number)) return refuseFunction(compiler, placeNode);
  const run = (frame: Frame<H>): Feel => {
    const [value, at, put] = [list.run(frame), place.run(frame), fresh.run(frame)];
    if (value === null || !isNumber(at)) return null;
    const items = itemsOf(value);
    frame.spend(items.length);
    const position = at.toNumber();
    const index = position > 0 ? position - 1 : items.length + position;
    if (!Number.isInteger(index) || index < 0 || index >= items.length || position === 0) {
      return frame.warn('out_of_range');
    }
    return items.with(index, put);
  };
  return { kind, run };
}

function refuseCount<H>(compiler: Compiling<H>, node: Call, taken: string): never {
  const details = { name: node.name, taken, given: node.parameters.length };
  return compiler.refuse('formula_parameters', node, details);
}

function refuseFunction<H>(compiler: Compiling<H>, node: Node): never {
  const details = { given: compiler.text(node), kind: 'no function', wanted: 'function(x, y) …' };
  return compiler.refuse('formula_wrong_kind', node, details);
}
