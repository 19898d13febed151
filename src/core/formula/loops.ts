import { Temporal } from 'temporal-polyfill';
import { FeelRange, isList, isNumber, type Feel } from './feel';
import type { Frame } from './frame';
import * as kinds from './kinds';
import { fits, kindWords } from './kinds';
import type { Compiling, Piece, Run, Scope } from './scope';
import type { Loop, Node } from './syntax';

/** Makes a filter ready: the items for which something holds, or the one at a place. */
export function compileFilter<H>(
  compiler: Compiling<H>,
  node: Extract<Node, { type: 'filter' }>,
  scope: Scope<H>,
): Piece<H> {
  const of = compiler.compile(node.of, scope);
  const itemKind = of.kind.is === 'list' ? of.kind.of : of.kind;
  const inner = scope.withItem(itemKind);
  const by = compiler.compile(node.by, inner);
  const list = (f: Frame<H>): readonly Feel[] => {
    const found = of.run(f);
    return found === null ? [] : isList(found) ? found : [found];
  };
  if (by.kind.is === 'number') {
    const run: Run<H> = (f) => {
      const items = list(f);
      const place = by.run(f);
      if (!isNumber(place)) return null;
      const at = place.toNumber();
      return (at > 0 ? items[at - 1] : items[items.length + at]) ?? null;
    };
    return { kind: itemKind, run };
  }
  if (!fits(by.kind, kinds.yesNo)) {
    const details = { given: compiler.text(node.by), kind: kindWords(by.kind), wanted: 'yes/no' };
    return compiler.refuse('formula_wrong_kind', node.by, details);
  }
  const { item } = inner;
  const run: Run<H> = (f) =>
    list(f).filter((candidate) => {
      f.spend(1);
      f.locals[item] = candidate;
      return by.run(f) === true;
    });
  return { kind: of.kind.is === 'list' ? of.kind : kinds.listOf(itemKind), run };
}

/** Loops inside one another; `each` runs its body for every combination until it gives true. */
export function compileLoops<H>(
  compiler: Compiling<H>,
  over: readonly Loop[],
  scope: Scope<H>,
): { inner: Scope<H>; each: (frame: Frame<H>, body: () => boolean | void) => void } {
  let inner = scope;
  const walks = over.map(({ name, list, until }) => {
    const from = compiler.compile(list, inner);
    const to = until && compiler.compile(until, inner);
    if (to) {
      for (const [node, piece] of [[list, from] as const, [until ?? list, to] as const]) {
        if (fits(piece.kind, kinds.number) || fits(piece.kind, kinds.date)) continue;
        const details = {
          given: compiler.text(node),
          kind: kindWords(piece.kind),
          wanted: 'a number',
        };
        compiler.refuse('formula_wrong_kind', node, details);
      }
    }
    const counted = to !== null || from.kind.is === 'range';
    const counter = from.kind.is === 'range' ? from.kind.of : from.kind;
    const item = counted ? counter : from.kind.is === 'list' ? from.kind.of : from.kind;
    const scoped = inner.with(name, item);
    inner = scoped.scope;
    return { at: scoped.at, items: (f: Frame<H>) => itemsOf(from.run(f), to?.run(f)) };
  });
  const walk = (f: Frame<H>, depth: number, body: () => boolean | void): boolean => {
    const loop = walks[depth];
    if (!loop) return body() === true;
    for (const item of loop.items(f)) {
      f.spend(1);
      f.locals[loop.at] = item;
      if (walk(f, depth + 1, body)) return true;
    }
    return false;
  };
  return { inner, each: (f: Frame<H>, body: () => boolean | void) => void walk(f, 0, body) };
}

/** The items that a loop walks over: of a list, or the numbers from one to another, up or down. */
function* itemsOf(from: Feel, to: Feel | undefined): Iterable<Feel> {
  const range = from instanceof FeelRange ? from : null;
  const [low, high] = range ? [range.low ?? null, range.high ?? null] : [from, to ?? null];
  if (range === null && to === undefined) {
    if (from !== null) yield* isList(from) ? from : [from];
    return;
  }
  if (low instanceof Temporal.PlainDate && high instanceof Temporal.PlainDate) {
    const step = Temporal.PlainDate.compare(low, high) <= 0 ? 1 : -1;
    let day = low.add({ days: range && !range.withLow ? step : 0 });
    const end = high.subtract({ days: range && !range.withHigh ? step : 0 });
    for (; Temporal.PlainDate.compare(day, end) * step <= 0; day = day.add({ days: step }))
      yield day;
    return;
  }
  if (!isNumber(low) || !isNumber(high)) return;
  const step = low.lessThanOrEqualTo(high) ? 1 : -1;
  let at = low.plus(range && !range.withLow ? step : 0);
  const last = high.minus(range && !range.withHigh ? step : 0);
  for (; at.minus(last).times(step).lessThanOrEqualTo(0); at = at.plus(step)) yield at;
}
