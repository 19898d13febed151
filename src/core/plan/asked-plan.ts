import { say } from '../words/say';
import { fileKinds, mostFiles, usualLargest } from '../values/files';
import { keyFrom } from '../table/definition';
import type { Option, ValueType } from '../values/types';
import {
  answerColumn,
  type AskedField,
  type AskedQuestion,
  type AskedSet,
  type AskedSets,
} from './asked-set';
import { plainField } from './draft';
import type { Field, Plan, Questions, Section } from './schema';

/** Sums of so many points stand in one formula. */
const pointsTogether = 40;

/** The plan with its questions as fields; a section without a set asks nothing. */
export function askedPlan(plan: Plan, sets: AskedSets): Plan {
  if (!plan.sections.some(asks)) return plan;
  const totals = new Map<string, string>();
  const taken: Taken = {
    sections: plan.sections.map(({ key }) => key),
    fields: plan.sections.flatMap(({ fields }) => fields.map(({ key }) => key)),
  };
  const sections = plan.sections.flatMap((section) => {
    const set = sets[section.key];
    if (!asks(section) || section.asked || !set) return [section];
    const asked = askedSections(section, set, taken);
    const { points } = section.questions;
    if (points !== null) totals.set(points, asked.total);
    return asked.sections;
  });
  return {
    ...plan,
    sections: sections.map((section) => ({
      ...section,
      fields: section.fields.map((field) => {
        const total = section.grid ? undefined : totals.get(field.key);
        return total === undefined ? field : { ...field, computes: total };
      }),
    })),
  };
}

/** A section that asks questions. */
export type AskingSection = Section & { questions: Questions };

/** Whether a section asks questions. */
export function asks(section: Section): section is AskingSection {
  return section.questions !== null && section.questions !== undefined && section.grid === null;
}

/** The fields that narrow the questions of a section, by their keys. */
export function askedBy({ questions }: Section): string[] {
  return [...new Set((questions?.narrowings ?? []).map(({ field }) => field))];
}

/** Keys that stand in the plan, or were given to what stands in for questions. */
interface Taken {
  sections: string[];
  fields: string[];
}

/** A section with its questions behind its own fields, each heading a section of its own. */
function askedSections(
  section: Section,
  { questions }: AskedSet,
  taken: Taken,
): { sections: Section[]; total: string } {
  const sections: Section[] = [{ ...section, asked: true }];
  const parts: string[] = [];
  let heading: string | null = null;
  const under = (title: string, fields: Field[]) => {
    const key = keyFrom(`${section.key} ${sections.length}`, taken.sections);
    taken.sections.push(key);
    const { columns } = section;
    sections.push({ key, title, fields, columns, grid: null, page: null });
  };
  for (const question of questions) {
    const fields = fieldsOf(section.key, question);
    parts.push(...pointsOf(question, fields));
    // What several can be ticked of stands under its own words.
    if (question.kind === 'several_of') {
      under(question.required ? say(`${question.text} (at least one)`) : question.text, fields);
      heading = null;
    } else if (heading === question.group) {
      const last = sections.at(-1);
      if (last) sections[sections.length - 1] = { ...last, fields: [...last.fields, ...fields] };
    } else {
      under(question.group, fields);
      heading = question.group;
    }
  }
  const sums: string[] = [];
  for (let i = 0; i < parts.length; i += pointsTogether) {
    sums.push(`sum([${parts.slice(i, i + pointsTogether).join(', ')}])`);
  }
  if (sums.length < 2) return { sections, total: sums[0] ?? '0' };
  taken.fields.push(...sections.slice(1).flatMap(({ fields }) => fields.map(({ key }) => key)));
  const partial = sums.map((computes, i) => {
    const key = keyFrom(`${section.key} points ${i + 1}`, taken.fields);
    taken.fields.push(key);
    return fieldOf({ key, label: key, savesTo: null, shows: 'nothing', computes, holds: amount });
  });
  const [first = section, ...rest] = sections;
  const own = { ...first, fields: [...first.fields, ...partial] };
  const total = `sum([${partial.map(({ key }) => key).join(', ')}])`;
  return { sections: [own, ...rest], total };
}

const amount: ValueType = { kind: 'decimal', precision: 20, scale: 4 };

/** A question as a field; one of which several choices can be ticked as one for each. */
function fieldsOf(section: string, question: AskedQuestion): Field[] {
  const { code, text, help, kind, when, required, unit } = question;
  const label = unit === '' ? text : `${text} (${unit})`;
  const asked = (option: string | null): AskedField => ({ section, question, option });
  if (kind !== 'several_of') {
    const own = { key: code, label, help, required, shownWhen: when, asked: asked(null) };
    return [Object.assign(fieldOf({ savesTo: answerColumn(code), ...own }), held(question))];
  }
  const taken: string[] = [];
  const boxes = question.options.map(({ value, label: choice }) => {
    const key = keyFrom(`${code} ${choice}`, taken);
    taken.push(key);
    const own = { key, label: choice, shownWhen: when, asked: asked(value) };
    return Object.assign(fieldOf({ savesTo: answerColumn(code, value), ...own }), held(question));
  });
  const [first, ...others] = boxes;
  if (!required || !first) return boxes;
  const holds = boxes.map((box) => `${box.key} = true`).join(' or ');
  return [{ ...first, checks: [{ holds, message: say('Tick at least one.') }] }, ...others];
}

/** What a field of this kind holds, and how it is filled in. */
function held({ kind, options, table, least, greatest }: AskedQuestion): Partial<Field> {
  switch (kind) {
    case 'short_text':
      return { holds: { kind: 'text', format: 'plain', length: 255 } };
    case 'long_text':
      return { holds: { kind: 'long_text' } };
    case 'whole_number':
    case 'rating':
      return { holds: { kind: 'whole' } };
    case 'decimal': {
      const places = [least, greatest].map((bound) => bound?.split('.')[1]?.length ?? 0);
      return { holds: { kind: 'decimal', precision: 20, scale: Math.max(2, ...places) } };
    }
    case 'yes_no':
      return { holds: { kind: 'yes_no' }, control: 'radio' };
    case 'date':
      return { holds: { kind: 'date' } };
    case 'time':
      return { holds: { kind: 'time' } };
    case 'one_of':
      return { choices: { kind: 'values', values: options }, control: few(options) };
    case 'several_of':
      return { holds: { kind: 'yes_no' }, control: 'tick' };
    case 'record':
      return {
        choices: {
          ...{ kind: 'table', table: table ?? '', shown: [], stores: { kind: 'link' } },
          ...{ order: [], distinct: false, conditions: [], narrowings: [] },
          ...{ takeOnly: false, typedBy: null, adds: false },
        },
      };
    case 'file': {
      const kinds = fileKinds.filter((kind) => options.some(({ value }) => value === kind));
      const most = Math.max(1, Math.min(Number(greatest ?? 1), mostFiles));
      return { holds: { kind: 'files', kinds, largest: usualLargest, most } };
    }
  }
}

/** A few choices are seen at once. */
function few(options: readonly unknown[]): 'radio' | 'box' {
  return options.length <= 6 ? 'radio' : 'box';
}

/** The formula of what an answer counts: yes, a rating in proportion, anything else for being answered. */
function pointsOf({ kind, points, greatest }: AskedQuestion, fields: readonly Field[]): string[] {
  if (points === null) return [];
  const keys = fields.map(({ key }) => key);
  const [key = ''] = keys;
  switch (kind) {
    case 'yes_no':
      return [`if ${key} = true then ${points} else 0`];
    case 'rating':
      return [`if ${key} = null then 0 else ${points} * ${key} / ${greatest ?? defaultScale}`];
    case 'several_of':
      return [`if ${keys.map((one) => `${one} = true`).join(' or ')} then ${points} else 0`];
    default:
      return [`if ${key} = null then 0 else ${points}`];
  }
}

/** A rating goes from 1 to this where nothing is said. */
export const defaultScale = '5';

function fieldOf(field: Partial<Field> & Pick<Field, 'key' | 'label' | 'savesTo'>): Field {
  return { ...blank, ...field };
}

/** A field of which nothing is said; making its key from a label is left out. */
const blank = plainField('');

/** The keys of the fields that a question becomes. */
export function keysOf(question: AskedQuestion): string[] {
  return fieldsOf('', question).map(({ key }) => key);
}

/** The steps of a rating, as options; `null` for a question that is none. */
export function ratingScale(question: AskedQuestion | undefined): Option[] | null {
  if (question?.kind !== 'rating') return null;
  const { least, greatest } = question;
  const [from, to] = [Number(least ?? 1), Number(greatest ?? defaultScale)];
  return Array.from({ length: to - from + 1 }, (_, i) => {
    return { value: String(from + i), label: String(from + i) };
  });
}
