import { never, type Operand, type RecordCondition } from '../access/sight';
import { readFormula } from '../formula/reading';
import {
  formulaProblem,
  pathOf,
  type FormulaProblem,
  type Node,
  type Test,
} from '../formula/syntax';
import type { CompareSign } from '../values/compare-sign';
import { severalIn, type Value, type ValueType } from '../values/types';
import type { House, Table } from './definition';
import { resolvePath } from './paths';

/** A condition by record that can be read, with the paths of the person that it needs. */
export interface ReadCondition {
  condition: RecordCondition;
  person: readonly string[];
}

/**
 * Reads a condition over a record of a table and a person (`region = person.ensemble.town.region`), in that part of
 * FEEL which becomes SQL: comparisons, `in`, `between`, `and`, `or`, `not`, columns through references, values,
 * `null`. Gives what is wrong with it otherwise.
 */
export function readRecordCondition(
  tables: House,
  table: Table,
  source: string,
): ReadCondition | { problem: FormulaProblem } {
  const read = readFormula(source);
  if ('problem' in read) return read;
  const reading = new Reading(tables, table, source);
  try {
    const condition = reading.condition(read.tree, true);
    return { condition, person: [...reading.person] };
  } catch (error) {
    if (error instanceof NotHere) return { problem: error.told };
    throw error;
  }
}

/** What a person's value is, by its path: `name`, `email`, a table's key, or a column behind it. */
export function personPathType(tables: House, path: string): ValueType | null {
  if (path === 'name' || path === 'email') return text;
  const [key = '', ...rest] = path.split('.');
  const table = tables.get(key);
  if (!table) return null;
  if (rest.length === 0) return { kind: 'reference', table: key };
  return resolvePath(tables, table, rest.join('.'))?.column.type ?? null;
}

/** The condition with the person's values in it. What they do not have is compared with nothing. */
export function conditionFor(
  condition: RecordCondition,
  person: Readonly<Record<string, Value>>,
): RecordCondition {
  const valued = (operand: Operand): Operand =>
    operand.is === 'person' ? { is: 'value', value: person[operand.path] ?? null } : operand;
  switch (condition.is) {
    case 'all':
    case 'any':
      return { ...condition, of: condition.of.map((one) => conditionFor(one, person)) };
    case 'empty': {
      const of = valued(condition.of);
      if (of.is === 'column') return condition;
      const empty = of.is === 'value' && of.value === null;
      return empty === condition.yes ? { is: 'all', of: [] } : never;
    }
    case 'compare': {
      const [left, right] = [valued(condition.left), valued(condition.right)];
      const absent = [left, right].some((side) => side.is === 'value' && side.value === null);
      return absent ? never : { ...condition, left, right };
    }
  }
}

const text: ValueType = { kind: 'text', format: 'plain', length: 255 };

class NotHere extends Error {
  constructor(readonly told: FormulaProblem) {
    super(told.problem.message);
  }
}

type Typed = { operand: Operand; type: ValueType | null; at: Node };

const opposite: Record<CompareSign, CompareSign> = {
  ...{ '=': '!=', '!=': '=', '<': '>=', '>=': '<', '>': '<=', '<=': '>' },
};

class Reading {
  readonly person = new Set<string>();
  readonly #tables: House;
  readonly #table: Table;
  readonly #source: string;

  constructor(tables: House, table: Table, source: string) {
    this.#tables = tables;
    this.#table = table;
    this.#source = source;
  }

  /** A condition, or what it denies: `not` is carried down to the comparisons. */
  condition(node: Node, holds: boolean): RecordCondition {
    switch (node.type) {
      case 'yes_no':
        return node.value === holds ? { is: 'all', of: [] } : never;
      case 'and':
      case 'or': {
        const of = [this.condition(node.left, holds), this.condition(node.right, holds)];
        return { is: (node.type === 'and') === holds ? 'all' : 'any', of };
      }
      case 'call': {
        const [only] = node.parameters;
        if (node.name !== 'not' || node.parameters.length !== 1 || !only) return this.#refuse(node);
        return this.condition(only, !holds);
      }
      case 'compare':
        return this.#compare(node.sign, this.#typed(node.left), this.#typed(node.right), holds);
      case 'between': {
        const of = this.#typed(node.of);
        const ends = [
          this.#compare('>=', of, this.#typed(node.low), holds),
          this.#compare('<=', of, this.#typed(node.high), holds),
        ];
        return { is: holds ? 'all' : 'any', of: ends };
      }
      case 'in': {
        const of = this.#typed(node.of);
        const tests = node.tests.flatMap((test) => this.#test(of, test, holds));
        return { is: holds ? 'any' : 'all', of: tests };
      }
      case 'name':
      case 'path': {
        const of = this.#typed(node);
        if (of.type?.kind !== 'yes_no') return this.#refuse(node);
        const yes: Operand = { is: 'value', value: true };
        return this.#compare('=', of, { operand: yes, type: of.type, at: node }, holds);
      }
      default:
        return this.#refuse(node);
    }
  }

  #test(of: Typed, test: Test, holds: boolean): RecordCondition[] {
    const { to, sign } = test;
    if (sign !== null) return [this.#compare(sign, of, this.#typed(to), holds)];
    if (to.type === 'list') {
      return to.items.flatMap((item) => this.#test(of, { sign: null, to: item }, holds));
    }
    if (to.type !== 'range') return [this.#compare('=', of, this.#typed(to), holds)];
    const ends = [
      this.#compare(to.withLow ? '>=' : '>', of, this.#typed(to.low), holds),
      this.#compare(to.withHigh ? '<=' : '<', of, this.#typed(to.high), holds),
    ];
    return [{ is: holds ? 'all' : 'any', of: ends }];
  }

  #compare(sign: CompareSign, left: Typed, right: Typed, holds: boolean): RecordCondition {
    const said = holds ? sign : opposite[sign];
    const nothing = [left, right].find(({ type }) => type === null);
    if (nothing) {
      const other = nothing === left ? right : left;
      if (sign !== '=' && sign !== '!=') return this.#refuse(nothing.at);
      return { is: 'empty', of: other.operand, yes: said === '=' };
    }
    if (!comparable(left.type, right.type)) {
      return this.#refuse({ ...right.at, from: left.at.from, to: right.at.to });
    }
    // Records, and yes or no, have no order.
    const ordered = !['reference', 'yes_no'].includes(left.type?.kind ?? '');
    if (!ordered && sign !== '=' && sign !== '!=') return this.#refuse(right.at);
    return { is: 'compare', sign: said, left: left.operand, right: right.operand };
  }

  #typed(node: Node): Typed {
    const value = (value: Value, type: ValueType | null): Typed => ({
      operand: { is: 'value', value },
      ...{ type, at: node },
    });
    switch (node.type) {
      case 'null':
        return value(null, null);
      case 'number':
        return value(node.written, { kind: 'decimal', precision: 38, scale: 20 });
      case 'negative':
        if (node.of.type !== 'number') return this.#refuse(node);
        return value(`-${node.of.written}`, { kind: 'decimal', precision: 38, scale: 20 });
      case 'text':
        return value(node.value, text);
      case 'yes_no':
        return value(node.value, { kind: 'yes_no' });
      case 'temporal':
        if (node.what !== 'date' && node.what !== '@') return this.#refuse(node);
        if (!/^\d{4}-\d{2}-\d{2}$/.test(node.written)) return this.#refuse(node);
        return value(node.written, { kind: 'date' });
      case 'name':
      case 'path':
        return this.#path(node);
      default:
        return this.#refuse(node);
    }
  }

  #path(node: Node): Typed {
    const keys = pathOf(node) ?? this.#refuse(node);
    const [first, ...rest] = keys;
    if (first === 'person' && !this.#table.columns.some(({ key }) => key === 'person')) {
      const path = rest.join('.');
      const type = personPathType(this.#tables, path);
      if (!type || severalIn(type)) return this.#refuse(node);
      this.person.add(path);
      return { operand: { is: 'person', path }, type, at: node };
    }
    const found = resolvePath(this.#tables, this.#table, keys.join('.'));
    if (!found || severalIn(found.column.type)) return this.#refuse(node);
    // The number of a record is the record: it is compared with references to it.
    const own = found.column.key === 'id';
    const type = own ? { kind: 'reference' as const, table: found.table.key } : found.column.type;
    return { operand: { is: 'column', path: keys, type }, type, at: node };
  }

  #refuse(node: Node): never {
    const given = this.#source.slice(node.from, node.to);
    throw new NotHere(
      formulaProblem('condition_not_here', node, { given, table: this.#table.title }),
    );
  }
}

const families: Partial<Record<ValueType['kind'], string>> = {
  ...{ text: 'text', long_text: 'text', option: 'text', code: 'text' },
  ...{ whole: 'number', decimal: 'number' },
};

function comparable(a: ValueType | null, b: ValueType | null): boolean {
  if (!a || !b) return false;
  if (a.kind === 'reference' || b.kind === 'reference') {
    return a.kind === b.kind && 'table' in a && 'table' in b && a.table === b.table;
  }
  return (families[a.kind] ?? a.kind) === (families[b.kind] ?? b.kind);
}
