import { describe, expect, it } from 'vitest';
import { fail, problem, ProblemError, problemSchema, type ProblemCode } from './problems';

const codes = problemSchema.shape.code.options as ProblemCode[];

describe('problems are data', () => {
  it('each has a sentence that ends like one, and survives the wire', () => {
    for (const code of codes) {
      const made = problem(code, {}, 'lines[2].score');
      expect(made.message, code).toMatch(/[.:}]$/);
      expect(made.hint, code).not.toMatch(/!/);
      expect(problemSchema.parse(JSON.parse(JSON.stringify(made)))).toEqual(made);
    }
  });

  it('fill in details, group numbers, and cut what is long', () => {
    const made = problem('rows_rejected', { count: 12345 });
    expect(made.message).toBe('12,345 of the rows cannot be imported.');
    const long = problem('not_whole', { given: 'x'.repeat(5000) });
    expect(long.message.length).toBeLessThan(130);
    expect(long.message).toContain('…');
  });

  it('leave a script in a label as the text that it is', () => {
    const made = problem('required', { label: '<script>{given}</script>' });
    expect(made.message).toBe('<script>{given}</script> is missing.');
  });

  it('can be thrown with a status', () => {
    try {
      fail('unknown_table', { table: 'x' }, 404);
    } catch (error) {
      expect(error).toBeInstanceOf(ProblemError);
      expect(error).toMatchObject({ status: 404, problems: [{ code: 'unknown_table' }] });
    }
    expect.assertions(2);
  });
});
