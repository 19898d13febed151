import { say } from '../words/say';
import { columnOf, type House } from '../table/definition';
import { isAmount } from '../values/types';
import { asks } from './asked-plan';
import type { Note } from './finding';
import { heldTypeIn } from './held';
import { canTake, takings } from './question-columns';
import type { Plan } from './schema';
import { fieldsOf, rootScope } from './scopes';

/** Examines the sections that ask questions: whether answers and points can be kept where the plan says. */
export function checkQuestions(plan: Plan, tables: House, note: Note): void {
  for (const { title, questions } of plan.sections.filter(asks)) {
    const label = title === '' ? say('the questions') : title;
    const kept = tables.get(questions.answers.table);
    for (const part of kept ? takings : []) {
      const key = questions.answers[part];
      const column = kept && key !== null ? columnOf(kept, key) : undefined;
      if (!kept || !column || canTake(plan, questions.table, part, column)) continue;
      note('problem', 'answers_column', { label, column: column.label, table: kept.title });
    }
    const total = fieldsOf(plan).find(({ key }) => key === questions.points);
    if (total && !isAmount(heldTypeIn(rootScope(plan), total, tables))) {
      note('problem', 'points_no_number', { label, field: total.label });
    }
  }
}
