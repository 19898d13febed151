import { questionKinds } from '../src/core/plan/asked-set';
import { checklists } from './questions';
import type { OptionList } from '../src/core/table/option-list';
import type { Option } from '../src/core/values/types';
import { conditionGrades, damageKinds, defectAreas, eras, loanPurposes } from './names';

const tones: Record<string, Option['tone']> = {
  'as new': 'moss',
  good: 'moss',
  fair: 'slate',
  worn: 'marigold',
  damaged: 'crimson',
};

/** The option lists of the demo; weekdays, months and ratings come with the product. */
export const demoLists: OptionList[] = [
  list('condition_grades', 'Condition grades', 'Instruments', options(conditionGrades)),
  list('loan_purposes', 'Loan purposes', 'Lending', options(loanPurposes)),
  list('eras', 'Eras', 'Music', options(eras)),
  list('checklists', 'Checklists', 'Halls', checklists),
  list('question_kinds', 'Kinds of questions', 'Halls', options(questionKinds)),
  list('defect_areas', 'Defect areas', 'Instruments', options(Object.keys(defectAreas))),
  {
    ...list('defect_kinds', 'Defect kinds', 'Instruments', options(damageKinds)),
    of: 'defect_areas',
    values: options(damageKinds).map((option) => ({ ...option, of: areaOf(option.value) })),
  },
];

function list(key: string, title: string, category: string, values: Option[]): OptionList {
  return { key, title, category, note: '', of: null, values };
}

function options(values: readonly string[]): Option[] {
  return values.map((value) => {
    const tone = tones[value];
    return { value, label: value.replaceAll('_', ' '), ...(tone ? { tone } : {}) };
  });
}

function areaOf(kind: string): string {
  const found = Object.entries(defectAreas).find(([, kinds]) => kinds.includes(kind));
  return found?.[0] ?? 'surface';
}
