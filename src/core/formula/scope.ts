import type { Feel } from './feel';
import type { Frame } from './frame';
import type { Kind } from './kinds';
import { chosenAt, memberOf } from './members';
import { formulaProblem, type FormulaProblem, type Node } from './syntax';

/** Works out a part of a formula. */
export type Run<H> = (frame: Frame<H>) => Feel;

/** A part of a formula made ready: its kind, and how it is worked out. */
export interface Piece<H> {
  kind: Kind;
  run: Run<H>;
  /** What is chosen there, of which more can be read, where the value itself is no record. */
  chosen?: Piece<H> | null;
}

/** What a name stands for: its kind, and how it is read. */
export interface Named<H> {
  kind: Kind;
  read: (host: H) => Feel;
  /** What is chosen there, where the value is no record: the row of a query. */
  chosen?: Named<H> | null;
}

/** What a formula may name. */
export interface Names<H> {
  find: (name: string) => Named<H> | null;
  /** All names, for completion and hints. */
  all: () => string[];
  /**
   * Works out once, for all hosts that stand in the same one, what reads only that: `token` names the part of
   * the formula, `reads` what it hangs on.
   */
  shared?: (
    host: H,
    token: object,
    reads: readonly (readonly string[])[],
    work: () => Feel,
  ) => Feel;
}

/**
 * A word of a formula that names something: a name of the form (`of` is `null`), or a member of a record
 * of a table, of a row or of the form (`of` is what its kind says).
 */
export interface Mention {
  of: string | null;
  key: string;
  from: number;
  to: number;
}

/** Thrown inside the compiler; `compileFormula` gives it as a problem. */
export class Refused extends Error {
  constructor(readonly told: FormulaProblem) {
    super(told.problem.message);
  }
}

/** What makes parts of a formula ready, as those see it who make one kind of part. */
export interface Compiling<H> {
  /** Makes a node ready where `scope` names the variables around it. */
  compile: (node: Node, scope: Scope<H>) => Piece<H>;
  /** Ends compiling with a problem at a node. */
  refuse: (...given: Parameters<typeof formulaProblem>) => never;
  /** A part as it is written. */
  text: (part: { from: number; to: number }) => string;
}

/** The variables around a part of a formula. */
export class Scope<H> {
  constructor(
    readonly depth = 0,
    readonly item = -1,
    readonly variables: ReadonlyMap<string, Piece<H>> = new Map(),
    readonly filtered: { kind: Kind; at: number; outer: Scope<H> | null } | null = null,
  ) {}

  /** A variable, or a member of the filtered item with the names that lead to it. */
  find(name: string): (Piece<H> & { path?: readonly string[]; of?: string }) | null {
    const found = this.variables.get(name);
    if (found) return found;
    if (!this.filtered) return null;
    const { kind, at } = this.filtered;
    const member = kind.is === 'record' ? kind.member(name) : null;
    if (!member) return this.filtered.outer?.find(name) ?? null;
    const run: Run<H> = (f) => memberOf(f.locals[at] ?? null, name, f);
    const path = kind.is === 'record' && kind.path ? [...kind.path, name] : undefined;
    const of = kind.is === 'record' ? kind.of : undefined;
    const chosen = chosenPiece<H>({ kind, run: (f) => f.locals[at] ?? null }, name);
    return { kind: path ? reachedBy(member, path) : member, run, path, of, chosen };
  }

  all(): string[] {
    const { kind } = this.filtered ?? {};
    return [...this.variables.keys(), ...(kind?.is === 'record' ? kind.members() : [])];
  }

  /** With one more variable. */
  with(name: string, kind: Kind): { scope: Scope<H>; at: number } {
    const at = this.depth;
    const variables = new Map(this.variables);
    variables.set(name, { kind, run: (f) => f.locals[at] ?? null });
    return { scope: new Scope(at + 1, this.item, variables, this.filtered), at };
  }

  /** Inside of a filter: `item`, and its members by their own names. */
  withItem(kind: Kind): Scope<H> {
    const { scope, at } = this.with('item', kind);
    const filtered = { kind, at, outer: this as Scope<H> };
    return new Scope(
      scope.depth,
      at,
      new Map([...scope.variables].filter(([n]) => n === 'item')),
      filtered,
    );
  }
}

/** What a member of a record, or of each record of a list, has chosen; `null` where it is nothing to read of. */
export function chosenPiece<H>(of: Piece<H>, key: string): Piece<H> | null {
  const inList = of.kind.is === 'list';
  const record = of.kind.is === 'list' ? of.kind.of : of.kind;
  if (record.is !== 'record') return null;
  const found = record.chosenAt?.(key);
  if (!found) return null;
  const kind = record.path ? reachedBy(found, [...record.path, key]) : found;
  return {
    kind: inList ? { is: 'list', of: kind, rows: true } : kind,
    run: (f) => chosenAt(of.run(f), key),
  };
}

/** The kind, with the names that lead to it. */
export function reachedBy(kind: Kind, path: readonly string[]): Kind {
  if (kind.is === 'record') return { ...kind, path };
  if (kind.is === 'list') return { ...kind, of: reachedBy(kind.of, path) };
  return kind;
}
