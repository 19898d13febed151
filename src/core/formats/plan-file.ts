import { z } from 'zod';
import { planFormat, planSchema, type Plan } from '../plan/schema';
import { namedRehearsalsSchema, type NamedRehearsal } from '../rehearsal/rehearsal';
import { problem, type Problem } from '../problems';

/** The largest plan file, in characters. */
export const longestPlanFile = 20_000_000;
/** At most so many fields does a plan have that comes from a file. */
export const mostFields = 2000;
const mostTold = 20;

const planFileSchema = planSchema.extend({ rehearsals: namedRehearsalsSchema.optional() });

/** A plan as a file, with its rehearsals: JSON, two blanks deep, the same each time. */
export function writePlanFile(plan: Plan, rehearsals: readonly NamedRehearsal[] = []): string {
  const whole = rehearsals.length > 0 ? { ...plan, rehearsals } : plan;
  return `${JSON.stringify(whole, null, 2)}\n`;
}

/** Reads a plan from a file; everything that is wrong with it comes back by its path. */
export function readPlanFile(
  text: string,
): { plan: Plan; rehearsals: NamedRehearsal[] } | { problems: Problem[] } {
  const refuse = (reason: string, path = '') => ({
    problems: [problem('plan_invalid', { reason }, path)],
  });
  if (text.length > longestPlanFile)
    return refuse(`it is longer than ${longestPlanFile} characters`);
  let given: unknown;
  try {
    given = JSON.parse(text);
  } catch {
    return refuse('it is not JSON');
  }
  const format =
    typeof given === 'object' && given !== null && 'format' in given ? given.format : null;
  if (typeof format === 'number' && format > planFormat) {
    return refuse(
      `its format ${format} is newer than ${planFormat}; bring this program up to date`,
      'format',
    );
  }
  const parsed = planFileSchema.safeParse(given);
  if (!parsed.success) {
    const problems = parsed.error.issues.slice(0, mostTold).map((issue) => {
      const path = issue.path.map(String).join('.');
      return problem('plan_invalid', { reason: `${path || 'the whole'}: ${issue.message}` }, path);
    });
    return { problems };
  }
  const { rehearsals = [], ...plan } = parsed.data;
  const fields = plan.sections.reduce((n, section) => n + section.fields.length, 0);
  if (fields > mostFields)
    return refuse(`it has ${fields} fields; at most ${mostFields} are taken`);
  return { plan, rehearsals };
}

/** The JSON Schema (draft 2020-12) of plan files. */
export function planJsonSchema(): Record<string, unknown> {
  return { title: 'Unisor plan', ...z.toJSONSchema(planFileSchema, { io: 'input' }) };
}
