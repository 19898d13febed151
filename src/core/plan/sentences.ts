import { readFormula } from '../formula/reading';
import type { Node } from '../formula/syntax';
import type { CompareSign } from '../values/compare-sign';

/** What a clause says of a field. */
export type Comparison =
  '=' | '!=' | '<=' | '>=' | '<' | '>' | 'empty' | 'filled' | 'contains' | 'starts with';

/** The units in which days are counted from today. */
export const dayUnits = ['days', 'weeks', 'months'] as const;
export type DayUnit = (typeof dayUnits)[number];

/** What a field is compared with, or begins with. */
export type Operand =
  | { kind: 'text'; value: string }
  /** A number as FEEL writes it. */
  | { kind: 'number'; value: string }
  | { kind: 'yes_no'; value: boolean }
  /** A day, as ISO 8601 writes it. */
  | { kind: 'date'; value: string }
  /** Another field, or a column of what it has chosen: `['score', 'pages']`. */
  | { kind: 'name'; path: readonly string[] }
  /** So many days, weeks or months from today; before it, where there are fewer than none. */
  | { kind: 'today'; plus: number; unit: DayUnit };

/** One comparison of a sentence. */
export interface Clause {
  path: readonly string[];
  compares: Comparison;
  /** None for `empty` and `filled`. */
  to: Operand | null;
  /** A yes/no field that stands by itself in the formula: it is to be yes. */
  plain?: true;
}

/** A condition in the words of a sentence: clauses that all hold, or of which one does. */
export interface Sentence {
  join: 'and' | 'or';
  clauses: Clause[];
}

/** A formula as a sentence; `null` where it says what a sentence cannot. */
export function sentenceOf(source: string): Sentence | null {
  const read = readFormula(source);
  if ('problem' in read) return null;
  const { tree } = read;
  const join = tree.type === 'or' ? 'or' : 'and';
  const clauses = joined(tree, join).map(clauseOf);
  return clauses.every((clause) => clause !== null) ? { join, clauses } : null;
}

/** The parts of a chain of `and`s or `or`s; one part is a chain too. */
function joined(node: Node, join: 'and' | 'or'): Node[] {
  if (node.type !== join) return [node];
  return [...joined(node.left, join), ...joined(node.right, join)];
}

function clauseOf(node: Node): Clause | null {
  const plain = pathOf(node);
  if (plain)
    return { path: plain, compares: '=', to: { kind: 'yes_no', value: true }, plain: true };
  if (node.type === 'call' && (node.name === 'contains' || node.name === 'starts with')) {
    const [of, what] = node.parameters;
    const path = of ? pathOf(of) : null;
    const to = what ? operandIn(what) : null;
    if (!path || !to || node.parameters.length !== 2 || node.named) return null;
    return { path, compares: node.name, to };
  }
  if (node.type !== 'compare') return null;
  const path = pathOf(node.left);
  if (!path) return null;
  if (node.right.type === 'null') return emptiness(path, node.sign);
  const to = operandIn(node.right);
  return to ? { path, compares: node.sign, to } : null;
}

function emptiness(path: readonly string[], sign: CompareSign): Clause | null {
  if (sign === '=') return { path, compares: 'empty', to: null };
  return sign === '!=' ? { path, compares: 'filled', to: null } : null;
}

/** The names that a node reads one after the other; `null` where it is anything else. */
function pathOf(node: Node): string[] | null {
  // A name of several words is one of FEEL's own.
  if (node.type === 'name') return node.name.includes(' ') ? null : [node.name];
  if (node.type !== 'path') return null;
  const of = pathOf(node.of);
  return of && [...of, node.key];
}

/** A formula as an operand; `null` where it is more than that. */
export function operandOf(source: string): Operand | null {
  const read = readFormula(source);
  return 'problem' in read ? null : operandIn(read.tree);
}

function operandIn(node: Node): Operand | null {
  switch (node.type) {
    case 'text':
      return { kind: 'text', value: node.value };
    case 'number':
      return { kind: 'number', value: node.written };
    case 'negative':
      return node.of.type === 'number' ? { kind: 'number', value: `-${node.of.written}` } : null;
    case 'yes_no':
      return { kind: 'yes_no', value: node.value };
    case 'temporal':
      return node.what === 'date' ? { kind: 'date', value: node.written } : null;
    case 'arithmetic':
      return fromToday(node);
    case 'call':
      return isToday(node) ? { kind: 'today', plus: 0, unit: 'days' } : null;
    default: {
      const path = pathOf(node);
      return path && { kind: 'name', path };
    }
  }
}

function isToday(node: Node): boolean {
  return node.type === 'call' && node.name === 'today' && node.parameters.length === 0;
}

function fromToday({ sign, left, right }: Extract<Node, { type: 'arithmetic' }>): Operand | null {
  if (!isToday(left) || (sign !== '+' && sign !== '-')) return null;
  if (right.type !== 'temporal' || right.what !== 'duration') return null;
  const [, count = '', letter = ''] = /^P(\d{1,5})([DM])$/.exec(right.written) ?? [];
  if (count === '') return null;
  const plus = Number(count) * (sign === '-' ? -1 : 1);
  if (letter === 'M') return { kind: 'today', plus, unit: 'months' };
  return plus % 7 === 0 && plus !== 0
    ? { kind: 'today', plus: plus / 7, unit: 'weeks' }
    : { kind: 'today', plus, unit: 'days' };
}

/** The formula that says what a sentence says. */
export function formulaOf({ join, clauses }: Sentence): string {
  return clauses.map(clauseFormula).join(` ${join} `);
}

function clauseFormula({ path, compares, to, plain }: Clause): string {
  const of = path.join('.');
  if (plain) return of;
  if (compares === 'empty') return `${of} = null`;
  if (compares === 'filled') return `${of} != null`;
  const what = to ? operandFormula(to) : 'null';
  if (compares === 'contains' || compares === 'starts with') return `${compares}(${of}, ${what})`;
  return `${of} ${compares} ${what}`;
}

/** The formula of an operand. */
export function operandFormula(operand: Operand): string {
  switch (operand.kind) {
    case 'text':
      return quoted(operand.value);
    case 'number':
      return operand.value;
    case 'yes_no':
      return String(operand.value);
    case 'date':
      return `date("${operand.value}")`;
    case 'name':
      return operand.path.join('.');
    case 'today': {
      const { plus, unit } = operand;
      if (plus === 0) return 'today()';
      const count = Math.abs(plus) * (unit === 'weeks' ? 7 : 1);
      const letter = unit === 'months' ? 'M' : 'D';
      return `today() ${plus < 0 ? '-' : '+'} duration("P${count}${letter}")`;
    }
  }
}

/** A text as FEEL writes it. */
function quoted(text: string): string {
  const escaped = text
    .replace(/\\/g, '\\\\')
    .replace(/"/g, '\\"')
    .replace(/\n/g, '\\n')
    .replace(/\r/g, '\\r')
    .replace(/\t/g, '\\t');
  return `"${escaped}"`;
}
