import { toFeel } from '../formula/convert';
import type { Feel, FeelRecord } from '../formula/feel';
import type { House } from '../table/definition';
import { personPathType } from '../table/record-condition';
import type { Value } from '../values/types';
import { RecordLink } from './records';

/** What is known of whoever fills a form in, by path: `name`, `email`, `region`, `region.name`. */
export type PersonFacts = Readonly<Record<string, Value>>;

/** A person as formulas read them. */
export class PersonRecord implements FeelRecord {
  readonly identity = null;

  constructor(
    readonly tables: House,
    readonly facts: PersonFacts,
  ) {}

  members(): string[] {
    return [];
  }

  member(key: string): Feel {
    return factAt(this.tables, this.facts, key);
  }
}

/** The record that a person stands for, or one that is reached from it. */
class StoodFor extends RecordLink {
  constructor(
    readonly tables: House,
    readonly facts: PersonFacts,
    readonly path: string,
    table: string,
    id: number,
  ) {
    super(table, id);
  }

  override member(key: string): Feel {
    return factAt(this.tables, this.facts, `${this.path}.${key}`);
  }
}

function factAt(tables: House, facts: PersonFacts, path: string): Feel {
  const type = personPathType(tables, path);
  const value = facts[path] ?? null;
  if (!type || value === null) return null;
  if (type.kind !== 'reference') return toFeel(type, value);
  return new StoodFor(tables, facts, path, type.table, Number(value));
}
