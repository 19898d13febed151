import { say } from '../words/say';
import { compileFilter, compileLoops } from './loops';
import { isNumber } from './feel';
import { arithmetic, arithmeticKind, finite, takenBySign } from './arithmetic';
import {
  Context,
  Decimal,
  FeelRange,
  isList,
  MonthsDuration,
  DaysDuration,
  type Feel,
} from './feel';
import type { Frame } from './frame';
import { functions } from './functions/all';
import { typeNames } from './functions/contexts';
import { temporalMember } from './functions/dates';
import * as kinds from './kinds';
import { fits, kindWords, type Kind } from './kinds';
import { compileCall } from './call';
import { compileBetween, compileCompare, compileIn, compileUnary, ordered } from './comparisons';
import { temporal } from './literals';
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
import { formulaProblem, type Node } from './syntax';

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
        return constant(...temporal(node));
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
        return compileCompare(this, node, scope);
      case 'between':
        return compileBetween(this, node, scope);
      case 'in':
        return compileIn(this, node, scope);
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
        ordered(this, node.low, low, node.high, high);
        const { withLow, withHigh } = node;
        const run: Run<H> = (f) => new FeelRange(low.run(f), high.run(f), withLow, withHigh);
        return { kind: { is: 'range', of: kinds.join(low.kind, high.kind) }, run };
      }
      case 'context':
        return this.#context(node, scope);
      case 'unary':
        return compileUnary(this, node, scope);
      case 'instance':
        return this.#instance(node, scope);
      case 'function':
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
}

const onNumbers: Partial<Record<string, (a: Decimal | null, b: Decimal | null) => Feel>> = {
  '+': (a, b) => (a === null || b === null ? null : finite(a.plus(b))),
  '-': (a, b) => (a === null || b === null ? null : finite(a.minus(b))),
  '*': (a, b) => (a === null || b === null ? null : finite(a.times(b))),
};

function constant<H>(kind: Kind, value: Feel): Piece<H> {
  return { kind, run: () => value };
}

function negative(value: Feel, frame: Frame<unknown>): Feel {
  if (value === null) return null;
  if (isNumber(value)) return value.negated();
  if (value instanceof DaysDuration) return new DaysDuration(-value.milliseconds);
  return value instanceof MonthsDuration
    ? new MonthsDuration(-value.months)
    : frame.warn('wrong_kind');
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
