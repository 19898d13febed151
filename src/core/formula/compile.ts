import { say } from '../words/say';
import { compileFilter, compileLoops } from './loops';
import { isNumber } from './feel';
import { arithmetic, arithmeticKind, finite, takenBySign } from './arithmetic';
import {
  compare,
  Context,
  Decimal,
  FeelRange,
  isList,
  kindOf,
  MonthsDuration,
  DaysDuration,
  readFeelDate,
  readFeelDateTime,
  readFeelDuration,
  readFeelTime,
  same,
  type Feel,
} from './feel';
import type { Frame } from './frame';
import { functions } from './functions/all';
import { typeNames } from './functions/contexts';
import { temporalMember } from './functions/dates';
import { within } from './functions/ranges';
import * as kinds from './kinds';
import { fits, kindWords, type Kind } from './kinds';
import { compileCall } from './call';
import { memberOf, memberOfList } from './members';
import { nearest } from './nearest';
import {
  chosenPiece,
  reachedBy,
  Refused,
  type Compiling,
  type Mention,
  type Named,
  type Names,
  type Piece,
  type Run,
  type Scope,
} from './scope';
import type { CompareSign } from '../values/compare-sign';
import { formulaProblem, type Node, type Test } from './syntax';

/** What may walk over many rows, and is worth keeping. */
const shareable: ReadonlySet<Node['type']> = new Set(['call', 'filter', 'for', 'some', 'every']);

/** Turns a tree into closures, and notes what it reads. */
export class Compiler<H> implements Compiling<H> {
  /** The paths read, from the form: `['ensemble', 'town', 'name']`. */
  reads = new Map<string, readonly string[]>();
  readonly mentions: Mention[] = [];
  usesClock = false;

  constructor(
    readonly names: Names<H>,
    readonly source: string,
  ) {}

  /** Makes a node ready where `scope` names the variables around it. */
  compile(node: Node, scope: Scope<H>): Piece<H> {
    const { shared } = this.names;
    if (!shared || scope.depth > 0 || !shareable.has(node.type)) return this.#piece(node, scope);
    const [reads, usesClock] = [this.reads, this.usesClock];
    this.reads = new Map();
    this.usesClock = false;
    const piece = this.#piece(node, scope);
    const own = [...this.reads.values()];
    const around = own.length > 0 && !this.usesClock && own.every(([first]) => first === 'parent');
    for (const [name, path] of this.reads) reads.set(name, path);
    this.reads = reads;
    this.usesClock ||= usesClock;
    if (!around) return piece;
    const token = {};
    return { kind: piece.kind, run: (f) => shared(f.host, token, own, () => piece.run(f)) };
  }

  #piece(node: Node, scope: Scope<H>): Piece<H> {
    switch (node.type) {
      case 'number':
        return constant(kinds.number, new Decimal(node.written));
      case 'text':
        return constant(kinds.text, node.value);
      case 'yes_no':
        return constant(kinds.yesNo, node.value);
      case 'null':
        return constant(kinds.nothing, null);
      case 'temporal':
        return temporal(node);
      case 'name':
        return this.#name(node, scope);
      case 'path':
        return this.#path(node, scope);
      case 'filter':
        return compileFilter(this, node, scope);
      case 'call':
        return this.#call(node, scope);
      case 'arithmetic':
        return this.#arithmetic(node, scope);
      case 'negative':
        return this.#negative(node, scope);
      case 'compare':
        return this.#compare(node, scope);
      case 'between': {
        const [of, low, high] = this.#all([node.of, node.low, node.high], scope);
        this.#ordered(node.of, of, node.low, low);
        this.#ordered(node.of, of, node.high, high);
        const run: Run<H> = (f) => {
          const value = of.run(f);
          const [from, to] = [inOrder('>=', value, low.run(f)), inOrder('<=', value, high.run(f))];
          if (from === false || to === false) return false;
          return from === null || to === null ? null : true;
        };
        return { kind: kinds.yesNo, run };
      }
      case 'in':
        return this.#in(node, scope);
      case 'and':
      case 'or':
        return this.#logic(node, scope);
      case 'if': {
        const when = this.#expect(node.when, kinds.yesNo, scope);
        const [then, otherwise] = this.#all([node.then, node.otherwise], scope);
        const run: Run<H> = (f) => (when.run(f) === true ? then.run(f) : otherwise.run(f));
        return { kind: kinds.join(then.kind, otherwise.kind), run };
      }
      case 'for': {
        const { inner, each } = compileLoops(this, node.over, scope);
        // What the loop has given so far, where that is read (DMN 1.5, 10.3.2.14).
        const partial = inner.with('partial', kinds.listOf(kinds.any));
        const reads = names(node.give).has('partial') && !inner.find('partial');
        const give = this.compile(node.give, reads ? partial.scope : inner);
        const run: Run<H> = (f) => {
          const items: Feel[] = [];
          each(f, () => {
            if (reads) {
              f.spend(items.length);
              f.locals[partial.at] = [...items];
            }
            items.push(give.run(f));
          });
          return items;
        };
        return { kind: kinds.listOf(give.kind), run };
      }
      case 'some':
      case 'every':
        return this.#quantified(node, scope);
      case 'list': {
        const items = node.items.map((item) => this.compile(item, scope));
        const of = items.map((item) => item.kind).reduce(kinds.join, kinds.nothing);
        const kind = kinds.listOf(items.length === 0 ? kinds.any : of);
        return { kind, run: (f) => items.map((item) => item.run(f)) };
      }
      case 'range': {
        const [low, high] = this.#all([node.low, node.high], scope);
        this.#ordered(node.low, low, node.high, high);
        const { withLow, withHigh } = node;
        const run: Run<H> = (f) => new FeelRange(low.run(f), high.run(f), withLow, withHigh);
        return { kind: { is: 'range', of: kinds.join(low.kind, high.kind) }, run };
      }
      case 'context':
        return this.#context(node, scope);
      case 'unary':
        return this.#unary(node, scope);
      case 'instance':
        return this.#instance(node, scope);
      case 'function':
        return this.refuse('formula_unsupported', node, { given: this.text(node) });
    }
  }

  /** `> 5` by itself: the range of all values for which it holds (DMN 1.5, 10.3.2.7). */
  #unary(node: Extract<Node, { type: 'unary' }>, scope: Scope<H>): Piece<H> {
    const { sign } = node;
    const to = this.compile(node.against, scope);
    this.#ordered(node.against, to, node.against, to);
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
        return this.refuse('formula_unsupported', node, { given: this.text(node) });
    }
  }

  #instance(node: Extract<Node, { type: 'instance' }>, scope: Scope<H>): Piece<H> {
    const of = this.compile(node.of, scope);
    const { named, item } = node;
    const holds = Object.hasOwn(typeNames, named) ? typeNames[named] : undefined;
    const holdsItem =
      item === null ? null : Object.hasOwn(typeNames, item) ? typeNames[item] : undefined;
    const parts = item === null || ['list', 'range'].includes(named);
    if (!holds || holdsItem === undefined || !parts) {
      return this.refuse('formula_unsupported', node, { given: this.text(node) });
    }
    const run: Run<H> = (f) => {
      const value = of.run(f);
      if (!holds(value) || !holdsItem) return holds(value);
      if (isList(value)) {
        f.spend(value.length);
        return value.every((each) => holdsItem(each));
      }
      const ends = value instanceof FeelRange ? [value.low, value.high] : [];
      return ends.every((end) => end === undefined || holdsItem(end));
    };
    return { kind: kinds.yesNo, run };
  }

  /** Refuses a place of the formula. */
  refuse(...given: Parameters<typeof formulaProblem>): never {
    throw new Refused(formulaProblem(...given));
  }

  /** The text of a node, as it is written. */
  text({ from, to }: { from: number; to: number }): string {
    return this.source.slice(from, to);
  }

  #name(node: Extract<Node, { type: 'name' }>, scope: Scope<H>): Piece<H> {
    const local = scope.find(node.name);
    if (local?.path) this.reads.set(local.path.join('.'), local.path);
    if (local?.of) this.#mention(local.of, node.name, node.to);
    if (local) return local;
    const found = this.names.find(node.name);
    if (found) {
      const path = [node.name];
      this.#mention(null, node.name, node.to);
      this.reads.set(path.join('.'), path);
      const piece = ({ kind, read }: Named<H>): Piece<H> => ({
        kind: reachedBy(kind, path),
        run: (f) => read(f.host),
      });
      return { ...piece(found), chosen: found.chosen ? piece(found.chosen) : null };
    }
    const known = [...this.names.all(), ...scope.all()];
    const like = nearest(node.name, known);
    const hint = like
      ? say(`Did you mean ${like}?`)
      : say(`Known here: ${known.slice(0, 8).join(', ')}.`);
    const isFunction = Object.hasOwn(functions, node.name);
    const details = { name: node.name, hint: isFunction ? say('Put ( ) behind it.') : hint };
    return this.refuse('formula_unknown_name', node, details);
  }

  #path(node: Extract<Node, { type: 'path' }>, scope: Scope<H>): Piece<H> {
    const { key } = node;
    const of = this.#readOf(this.compile(node.of, scope), key);
    const chosen = chosenPiece(of, key);
    if (of.kind.is === 'list') {
      const kind = this.#member(node, of.kind.of);
      const filled = of.kind.rows === true;
      return { kind: kinds.listOf(kind), run: memberOfList(of.run, key, filled), chosen };
    }
    return { kind: this.#member(node, of.kind), run: (f) => memberOf(of.run(f), key, f), chosen };
  }

  /** Of what a member is read: of the value, or of what is chosen there. */
  #readOf(of: Piece<H>, key: string): Piece<H> {
    const kind = of.kind.is === 'list' ? of.kind.of : of.kind;
    return of.chosen && !temporalMember(kind.is, key) ? of.chosen : of;
  }

  /** The kind of a member, its read noted. */
  #member(node: Extract<Node, { type: 'path' }>, of: Kind): Kind {
    const { key } = node;
    if (of.is === 'any' || of.is === 'nothing') return of;
    if (of.is === 'record') {
      const kind = of.member(key);
      if (kind) this.#mention(of.of, key, node.to);
      if (kind && of.path) {
        const path = [...of.path, key];
        this.reads.set(path.join('.'), path);
        return reachedBy(kind, path);
      }
      if (kind) return kind;
      const like = nearest(key, of.members());
      const hint = like
        ? say(`Did you mean ${like}?`)
        : say(`It has ${of.members().slice(0, 8).join(', ')}.`);
      return this.refuse('formula_unknown_member', node, { of: capital(of.called), key, hint });
    }
    const kind = temporalMember(of.is, key);
    if (kind) return kind;
    const details = { of: `“${this.text(node.of)}”`, key, hint: say(`It is ${kindWords(of)}.`) };
    return this.refuse('formula_unknown_member', node, details);
  }

  #mention(of: string | null, key: string, to: number): void {
    this.mentions.push({ of, key, from: to - key.length, to });
  }

  #call(node: Extract<Node, { type: 'call' }>, scope: Scope<H>): Piece<H> {
    if (node.name === 'today' || node.name === 'now') this.usesClock = true;
    return compileCall(this, node, scope);
  }

  #arithmetic(node: Extract<Node, { type: 'arithmetic' }>, scope: Scope<H>): Piece<H> {
    const { sign } = node;
    const [left, right] = this.#all([node.left, node.right], scope);
    const kind = arithmeticKind(sign, left.kind, right.kind);
    if (!kind) {
      return this.refuse('formula_operands', node, {
        left: this.text(node.left),
        leftKind: kindWords(left.kind),
        right: this.text(node.right),
        rightKind: kindWords(right.kind),
        sign,
        taken: takenBySign[sign],
      });
    }
    const fast =
      left.kind.is === 'number' && right.kind.is === 'number' ? onNumbers[sign] : undefined;
    if (fast) {
      const [a, b] = [left.run, right.run];
      return { kind, run: (f) => fast(a(f) as Decimal | null, b(f) as Decimal | null) };
    }
    return { kind, run: (f) => arithmetic(sign, left.run(f), right.run(f), f) };
  }

  #negative(node: Extract<Node, { type: 'negative' }>, scope: Scope<H>): Piece<H> {
    const of = this.compile(node.of, scope);
    if (!['number', 'days', 'months', 'any', 'nothing'].includes(of.kind.is)) {
      const details = {
        given: this.text(node.of),
        kind: kindWords(of.kind),
        wanted: say('a number'),
      };
      this.refuse('formula_wrong_kind', node, details);
    }
    return { kind: of.kind, run: (f) => negative(of.run(f), f) };
  }

  #compare(node: Extract<Node, { type: 'compare' }>, scope: Scope<H>): Piece<H> {
    const { sign } = node;
    const [left, right] = this.#all([node.left, node.right], scope);
    if (sign === '=' || sign === '!=') {
      this.#comparable(node, node.left, left, node.right, right);
      const run: Run<H> = (f) => {
        const equal = same(left.run(f), right.run(f), f);
        return equal === null ? null : equal === (sign === '=');
      };
      return { kind: kinds.yesNo, run };
    }
    this.#ordered(node.left, left, node.right, right);
    return { kind: kinds.yesNo, run: (f) => inOrder(sign, left.run(f), right.run(f)) };
  }

  #in(node: Extract<Node, { type: 'in' }>, scope: Scope<H>): Piece<H> {
    const of = this.compile(node.of, scope);
    const tests = node.tests.map((test) => this.#test(node, of, test, scope));
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

  #test(
    node: Extract<Node, { type: 'in' }>,
    of: Piece<H>,
    { sign, to }: Test,
    scope: Scope<H>,
  ): (f: Frame<H>, value: Feel) => boolean | null {
    const against = this.compile(to, scope);
    if (sign !== null && sign !== '=' && sign !== '!=') {
      this.#ordered(node.of, of, to, against);
      return (f, value) => inOrder(sign, value, against.run(f));
    }
    const item = ['list', 'range'].includes(against.kind.is)
      ? { ...against, kind: (against.kind as { of: Kind }).of }
      : against;
    this.#comparable(node, node.of, of, to, item);
    return (f, value) => {
      const wanted = against.run(f);
      if (wanted instanceof FeelRange) return within(wanted, value);
      if (isList(wanted) && !isList(value)) {
        f.spend(wanted.length);
        return wanted.some((other) =>
          other instanceof FeelRange
            ? within(other, value) === true
            : same(other, value, f) === true,
        );
      }
      const equal = same(value, wanted, f);
      return sign === '!=' && equal !== null ? !equal : equal;
    };
  }

  #logic(node: Extract<Node, { type: 'and' | 'or' }>, scope: Scope<H>): Piece<H> {
    const left = this.#expect(node.left, kinds.yesNo, scope);
    const right = this.#expect(node.right, kinds.yesNo, scope);
    // What decides: one no for `and`, one yes for `or`.
    const decides = node.type === 'or';
    const run: Run<H> = (f) => {
      const a = left.run(f);
      if (a === decides) return decides;
      const b = right.run(f);
      if (b === decides) return decides;
      return a === !decides && b === !decides ? !decides : null;
    };
    return { kind: kinds.yesNo, run };
  }

  #quantified(node: Extract<Node, { type: 'some' | 'every' }>, scope: Scope<H>): Piece<H> {
    const { inner, each } = compileLoops(this, node.over, scope);
    const holds = this.#expect(node.holds, kinds.yesNo, inner);
    // What decides: one yes for `some`, one no for `every`; else an absent one leaves it open.
    const decides = node.type === 'some';
    const run: Run<H> = (f) => {
      let found = false;
      let open = false;
      each(f, () => {
        const held = holds.run(f);
        found = held === decides;
        open ||= held !== true && held !== false;
        return found;
      });
      return found ? decides : open ? null : !decides;
    };
    return { kind: kinds.yesNo, run };
  }

  #context(node: Extract<Node, { type: 'context' }>, scope: Scope<H>): Piece<H> {
    // An entry may read those before it (DMN 1.5, 10.3.2.6).
    let inner = scope;
    const entries = node.entries.map(({ key, value }) => {
      const piece = this.compile(value, inner);
      const scoped = inner.with(key, piece.kind);
      inner = scoped.scope;
      return { key, piece, at: scoped.at };
    });
    const byKey = new Map(entries.map(({ key, piece }) => [key, piece.kind]));
    const kind: Kind = {
      is: 'record',
      called: say('a context'),
      of: '{}',
      member: (key) => byKey.get(key) ?? null,
      members: () => [...byKey.keys()],
      path: null,
    };
    const run: Run<H> = (f) =>
      new Context(
        new Map(
          entries.map(({ key, piece, at }) => {
            const value = piece.run(f);
            f.locals[at] = value;
            return [key, value];
          }),
        ),
      );
    return { kind, run };
  }

  #all<T extends readonly Node[]>(nodes: [...T], scope: Scope<H>): { [K in keyof T]: Piece<H> } {
    return nodes.map((node) => this.compile(node, scope)) as { [K in keyof T]: Piece<H> };
  }

  #expect(node: Node, wanted: Kind, scope: Scope<H>): Piece<H> {
    const piece = this.compile(node, scope);
    if (fits(piece.kind, wanted)) return piece;
    const details = {
      given: this.text(node),
      kind: kindWords(piece.kind),
      wanted: wanted.is === 'yes_no' ? say('yes/no') : kindWords(wanted),
    };
    return this.refuse('formula_wrong_kind', node, details);
  }

  /** Refuses a comparison of what can never be the same. */
  #comparable(node: Node, a: Node, left: Piece<H>, b: Node, right: Piece<H>): void {
    if (fits(left.kind, right.kind) || fits(right.kind, left.kind)) return;
    this.refuse('formula_comparison', node, {
      left: this.text(a),
      leftKind: kindWords(left.kind),
      right: this.text(b),
      rightKind: kindWords(right.kind),
    });
  }

  /** Refuses what has no order with one another. */
  #ordered(a: Node, left: Piece<H>, b: Node, right: Piece<H>): void {
    this.#comparable({ ...a, from: a.from, to: Math.max(a.to, b.to) }, a, left, b, right);
    for (const [node, { kind }] of [[a, left] as const, [b, right] as const]) {
      if (!['yes_no', 'list', 'range', 'record'].includes(kind.is)) continue;
      const details = {
        given: this.text(node),
        kind: kindWords(kind),
        wanted: say('a number, a text or a date'),
      };
      this.refuse('formula_wrong_kind', node, details);
    }
  }
}

const onNumbers: Partial<Record<string, (a: Decimal | null, b: Decimal | null) => Feel>> = {
  '+': (a, b) => (a === null || b === null ? null : finite(a.plus(b))),
  '-': (a, b) => (a === null || b === null ? null : finite(a.minus(b))),
  '*': (a, b) => (a === null || b === null ? null : finite(a.times(b))),
};

function constant<H>(kind: Kind, value: Feel): Piece<H> {
  return { kind, run: () => value };
}

function temporal<H>(node: Extract<Node, { type: 'temporal' }>): Piece<H> {
  const { what, written } = node;
  const refuse = () => {
    throw new Refused(formulaProblem('formula_no_date', node, { given: written, what }));
  };
  if (what === '@') {
    const found =
      readFeelDate(written) ??
      readFeelTime(written) ??
      readFeelDateTime(written) ??
      readFeelDuration(written);
    return found ? constant({ is: kindOf(found) } as Kind, found) : refuse();
  }
  const read = { date: readFeelDate, time: readFeelTime, duration: readFeelDuration }[what];
  const found = (read ?? readFeelDateTime)(written);
  return found ? constant({ is: kindOf(found) } as Kind, found) : refuse();
}

function negative(value: Feel, frame: Frame<unknown>): Feel {
  if (value === null) return null;
  if (isNumber(value)) return value.negated();
  if (value instanceof DaysDuration) return new DaysDuration(-value.milliseconds);
  return value instanceof MonthsDuration
    ? new MonthsDuration(-value.months)
    : frame.warn('wrong_kind');
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

/** The names that a part of a formula mentions. */
function names(node: Node): Set<string> {
  const found = new Set<string>();
  const walk = (part: unknown): void => {
    if (Array.isArray(part)) for (const each of part) walk(each);
    else if (typeof part === 'object' && part !== null) {
      if ('type' in part && part.type === 'name' && 'name' in part) found.add(String(part.name));
      for (const each of Object.values(part)) walk(each);
    }
  };
  walk(node);
  return found;
}

function capital(words: string): string {
  return words.charAt(0).toUpperCase() + words.slice(1);
}
