import type { Details, Problem, ProblemCode } from '../problems';
import type { House } from '../table/definition';
import type { Plan } from './schema';
import type { PlanScope } from './scopes';

/** One thing found in a plan. A problem stops publishing; a hint does not. */
export interface Finding {
  level: 'problem' | 'hint';
  /** The field it concerns; `null` for the whole plan. */
  field: string | null;
  problem: Problem;
  /** What would mend it. */
  fix?: { label: string; apply: (plan: Plan) => Plan };
}

export type Note = (
  level: Finding['level'],
  code: ProblemCode,
  details: Details,
  fix?: Finding['fix'],
) => void;

/** What whoever examines a plan knows of the house beside its tables. */
export interface Known {
  /** How many records the tables hold. */
  sizes?: ReadonlyMap<string, number>;
  /** By table, the titles of the roles that fill in the form and do not see all of it. */
  limited?: ReadonlyMap<string, readonly string[]>;
}

/** What an examination looks at: the plan, the tables, and the scope that a field stands in. */
export interface Examined {
  plan: Plan;
  tables: House;
  scope: PlanScope;
  known: Known;
}
