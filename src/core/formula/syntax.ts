import type { CompareSign } from '../values/compare-sign';
import { problem, type Details, type Problem, type ProblemCode } from '../problems';

/** Something wrong in a formula, with its place in the text. */
export interface FormulaProblem {
  from: number;
  to: number;
  problem: Problem;
}

/** Where something stands in a formula, in UTF-16 units. */
export interface At {
  from: number;
  to: number;
}

export type ArithmeticSign = '+' | '-' | '*' | '/' | '**';

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
    | { type: 'call'; name: string; parameters: Node[]; named?: string[] }
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
    /** `> 5`: all values for which that holds. */
    | { type: 'unary'; sign: CompareSign; against: Node }
    | { type: 'function'; parameters: string[]; body: Node }
    | { type: 'instance'; of: Node; named: string; item: string | null }
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

/** The tree of a formula, or the first thing that is wrong with its writing. */
export type ReadFormula = { tree: Node } | { problem: FormulaProblem };

/** Formulas with their trees, as the server sends them to a page. */
export type Formulas = readonly (readonly [source: string, read: ReadFormula])[];

/** The names of a path, `town.region.name`; `null` where a node is none. */
export function pathOf(node: Node): string[] | null {
  if (node.type === 'name') return [node.name];
  if (node.type !== 'path') return null;
  const before = pathOf(node.of);
  return before && [...before, node.key];
}

/** A problem at a place of a formula. */
export function formulaProblem(
  code: ProblemCode,
  { from, to }: At,
  details: Details = {},
): FormulaProblem {
  return { from, to, problem: problem(code, details) };
}

/** A problem with a formula as a whole. */
export function wholeProblem(source: string, code: ProblemCode, details: Details): FormulaProblem {
  return formulaProblem(code, { from: 0, to: source.length }, details);
}

/** A step of a path, and where it stands in the text. */
export interface Step {
  key: string;
  from: number;
  to: number;
}

/** Every path in a formula, whole: `person.region.name` is one, of three steps. */
export function pathsIn(node: unknown): Step[][] {
  if (Array.isArray(node)) return node.flatMap(pathsIn);
  if (typeof node !== 'object' || node === null) return [];
  const steps = stepsOf(node as Node);
  return steps ? [steps] : Object.values(node).flatMap(pathsIn);
}

function stepsOf(node: Node): Step[] | null {
  if (node.type === 'name') return [{ key: node.name, from: node.from, to: node.to }];
  if (node.type !== 'path') return null;
  const before = stepsOf(node.of);
  return before && [...before, { key: node.key, from: node.to - node.key.length, to: node.to }];
}
