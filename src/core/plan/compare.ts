import { say } from '../words/say';
import type { House } from '../table/definition';
import { totalWords, toneWords } from '../table/total-words';
import type { Picture, Total } from '../table/view';
import { type Field, type Plan, type Section } from './schema';
import { fieldsOf, scopesOf, type PlanScope } from './scopes';
import {
  bringsPhrase,
  narrowedPhrase,
  rulesPhrase,
  occasionWords,
  savesPhrase,
  scopedLabel,
  sourcePhrase,
  type Phrase,
  stepWords,
  systemTitle,
} from './words';
import { sightOf, type Sight } from './sight';

/** One thing in which two plans differ, in words. */
export interface PlanChange {
  kind: 'added' | 'removed' | 'moved' | 'changed';
  /** The label of the field; `''` for the form as a whole. */
  field: string;
  /** Which of the designer's questions is answered otherwise: `comes from`, `rules` … */
  question: string;
  before: string;
  after: string;
}

const counts: ReadonlyMap<string, number> = new Map();

/** Everything in which `after` differs from `before`, in form order; nothing where both say the same. */
export function comparePlans(before: Plan, after: Plan, tables: House): PlanChange[] {
  const changes = [
    ...wholeChanges(before, after, tables),
    ...after.sections.flatMap((section, place) => {
      const was = before.sections.find(({ key }) => key === section.key) ?? before.sections[place];
      return was ? sectionChanges(was, section, tables) : [];
    }),
  ];
  const earlier = new Map(scopesOf(before).map((scope) => [scope.key, scope]));
  for (const scope of scopesOf(after)) {
    const was = earlier.get(scope.key);
    earlier.delete(scope.key);
    changes.push(...scopeChanges(before, after, was, scope, tables));
  }
  for (const gone of earlier.values()) {
    changes.push(...gone.fields.map((field) => change('removed', scopedLabel(gone, field))));
  }
  return changes;
}

function scopeChanges(
  before: Plan,
  after: Plan,
  was: PlanScope | undefined,
  scope: PlanScope,
  tables: House,
): PlanChange[] {
  const renamed = renamedKeys(was?.fields ?? [], scope.fields);
  const old = new Map(was?.fields.map((field) => [renamed.get(field.key) ?? field.key, field]));
  const kept = new Set(scope.fields.map((field) => field.key));
  const moved = movedKeys(
    [...old.keys()].filter((key) => kept.has(key)),
    scope.fields.map((f) => f.key).filter((key) => old.has(key)),
  );
  const gone = [...old].filter(([key]) => !kept.has(key)).map(([, field]) => field);
  return [
    ...scope.fields.flatMap((field) => {
      const earlier = old.get(field.key);
      const label = scopedLabel(scope, field);
      if (!earlier) return [change('added', label)];
      const words = fieldChanges(before, after, scope.key, earlier, field, label, tables);
      return moved.has(field.key) ? [change('moved', label), ...words] : words;
    }),
    ...gone.map((field) => change('removed', scopedLabel(scope, field))),
  ];
}

function fieldChanges(
  before: Plan,
  after: Plan,
  scope: string,
  earlier: Field,
  field: Field,
  label: string,
  tables: House,
): PlanChange[] {
  const section = (plan: Plan, { key }: Field) =>
    plan.sections.find((s) => s.fields.some((f) => f.key === key))?.title ?? '';
  const questions: [question: string, before: string, after: string][] = [
    [say('label'), earlier.label, field.label],
    [say('name in formulas'), earlier.key, field.key],
    [say('help'), earlier.help, field.help],
    [say('section'), section(before, earlier), section(after, field)],
    [say('comes from'), ...phrases((s, f) => sourcePhrase(s, f, tables, counts))],
    [say('narrowed by'), ...phrases((s, f) => narrowedPhrase(s, f, tables))],
    [say('brings'), ...phrases((s, f) => bringsPhrase(s, f, tables))],
    [say('rules'), ...phrases((s, f) => rulesPhrase(s, f, tables))],
    [say('checks'), checks(earlier), checks(field)],
    [say('saves to'), ...phrases((s, f) => savesPhrase(s, f, tables))],
  ];
  return answered(label, questions, earlier, field);

  function phrases(say: (sight: Sight, field: Field) => Phrase): [string, string] {
    const said = (plan: Plan, of: Field) => {
      const sight = sightOf(plan, scope, tables);
      return sight ? line(say(sight, of)) : '';
    };
    return [said(before, earlier), said(after, field)];
  }
}

/**
 * The questions that are answered otherwise; and that there is more, where none of them tells two things apart that
 * differ, or what no question asks differs.
 */
function answered(
  field: string,
  questions: readonly [question: string, before: string, after: string][],
  earlier: unknown,
  now: unknown,
  unasked: readonly [before: unknown, after: unknown] = [null, null],
): PlanChange[] {
  const found = questions
    .filter(([, a, b]) => a !== b)
    .map(([question, before, after]): PlanChange => ({
      ...{ kind: 'changed', field, question, before, after },
    }));
  const differ = (a: unknown, b: unknown) => JSON.stringify(a) !== JSON.stringify(b);
  const more = differ(...unasked) || (found.length === 0 && differ(earlier, now));
  return more ? [...found, { ...change('changed', field), question: say('details') }] : found;
}

/** What a section says besides its fields; its title, columns and condition are told with the form as a whole. */
function sectionChanges(before: Section, after: Section, tables: House): PlanChange[] {
  const title = after.title || before.title || say('untitled');
  const { grid: was } = before;
  const { grid: is } = after;
  const view = ({ grid }: Section) =>
    tables.get(grid?.table ?? '')?.views?.find(({ key }) => key === grid?.view)?.title ??
    grid?.view ??
    '';
  const column = (table: string | undefined, key: string) =>
    tables.get(table ?? '')?.columns.find((one) => one.key === key)?.label ?? key;
  const total = (table: string | undefined, one: Total) =>
    `${column(table, one.column)} ${totalWords[one.kind]}`;
  const drawn = (table: string | undefined, picture: Picture | null | undefined) =>
    picture
      ? say(
          `${picture.total ? total(table, picture.total) : say('Lines')} by ${column(table, picture.by)}`,
        )
      : '';
  const totals = ({ grid }: Section) =>
    (grid?.totals ?? []).map((one) => total(grid?.table, one)).join(', ');
  const marks = ({ grid }: Section) =>
    (grid?.thresholds ?? [])
      .map(
        (one) =>
          `${column(grid?.table, one.column)} ${one.from}: ${one.word} (${toneWords[one.tone]})`,
      )
      .join(', ');
  return answered(
    title,
    [
      [say('page'), before.page ?? '', after.page ?? ''],
      [say('view'), view(before), view(after)],
      [say('lines shown when'), was?.rowsWhen ?? '', is?.rowsWhen ?? ''],
      [say('totals'), totals(before), totals(after)],
      [say('marks'), marks(before), marks(after)],
      [say('picture'), drawn(was?.table, was?.picture), drawn(is?.table, is?.picture)],
      [say('questions'), ...asked(before, after)],
    ],
    toldOf(before),
    toldOf(after),
    [unaskedOf(before), unaskedOf(after)],
  );
}

/** A section without its fields, and without what the form as a whole tells of it already. */
const toldOf = ({ grid, ...section }: Section) => ({
  ...{ ...section, folded: section.folded === true, fields: [], title: '', columns: 0 },
  grid: grid && { ...grid, shownWhen: null },
});

/** What no question asks of a section: how it begins, and of which rows its grid is. */
function unaskedOf({ key, folded, grid }: Section) {
  return { key, folded: folded === true, rows: grid && [grid.table, grid.link, grid.within] };
}

/** The tables whose rows are asked, told apart where only the rest of it differs. */
function asked({ questions: a }: Section, { questions: b }: Section): [string, string] {
  if (a?.table !== b?.table) return [a?.table ?? '', b?.table ?? ''];
  const same = JSON.stringify(a ?? null) === JSON.stringify(b ?? null);
  return [a?.table ?? '', same ? (b?.table ?? '') : say(`${b?.table ?? ''}, asked otherwise`)];
}

function wholeChanges(before: Plan, after: Plan, tables: House): PlanChange[] {
  const start = ({ startsAt, ...plan }: Plan) =>
    fieldsOf({ startsAt, ...plan }).find((f) => f.key === startsAt)?.label ?? '';
  const buttons = (plan: Plan) =>
    (plan.buttons ?? [])
      .map(({ label, when, steps }) => {
        const does = steps.map((step) => stepWords(step, plan, tables)).join(`, ${say('then')} `);
        return `${label}: ${does}${when === null ? '' : ` (${say(`when ${when}`)})`}`;
      })
      .join('; ');
  const sends = ({ sends: list = [] }: Plan) =>
    list
      .map(({ connection, method, address, when, values }) => {
        const body = Object.entries(values).map(([name, formula]) => `${name} = ${formula}`);
        const condition = when === null ? '' : ` ${say(`when ${when}`)}`;
        return `${systemTitle(tables, connection)}: ${method} ${address} (${body.join(', ')})${condition}`;
      })
      .join('; ');
  const mails = ({ mails: list = [] }: Plan) =>
    list
      .map(({ to, subject, text, when }) =>
        [`${to}: ${subject}`, text, when === null ? '' : say(`when ${when}`)]
          .filter((part) => part !== '')
          .join(', '),
      )
      .join('; ');
  const follows = ({ after: said }: Plan) =>
    said === undefined
      ? ''
      : [said.message, said.next, said.form ?? '', said.address, ...Object.values(said.carry)]
          .filter((part) => part !== '')
          .join(', ');
  const takes = ({ takes: bounds }: Plan) =>
    bounds === undefined
      ? ''
      : Object.values(bounds)
          .filter((part) => part !== null && part !== '')
          .join(', ');
  const writes = (plan: Plan) =>
    plan.writes
      .map(({ table, each, on, record, when, values }) => {
        const columns = Object.entries(values).map(([column, formula]) => `${column} = ${formula}`);
        const parts = [
          record === null ? table : `${table} (${record})`,
          each === null ? '' : ` ${say(`for each line of ${each}`)}`,
          on === 'new' ? '' : `, ${occasionWords[on]}`,
          `: ${columns.join(', ')}`,
          when === null ? '' : `, ${say(`when ${when}`)}`,
        ];
        return parts.join('');
      })
      .join('; ');
  const sections = (plan: Plan) =>
    plan.sections
      .map(({ title, columns, grid }) => {
        const when = grid?.shownWhen ? say(`, shown when ${grid.shownWhen}`) : '';
        return `${title || say('untitled')} (${columns}${when})`;
      })
      .join(', ');
  const questions: [string, string, string][] = [
    [say('title'), before.title, after.title],
    [say('sections'), sections(before), sections(after)],
    [say('the cursor starts in'), start(before), start(after)],
    [say('written besides'), writes(before), writes(after)],
    [say('sent outside'), sends(before), sends(after)],
    [say('told by e-mail'), mails(before), mails(after)],
    [say('after a save'), follows(before), follows(after)],
    [say('takes records'), takes(before), takes(after)],
    [say('buttons'), buttons(before), buttons(after)],
  ];
  const whole = (plan: Plan) => ({ ...plan, sections: [] });
  const unasked = ({ table, through }: Plan) => ({ table, through });
  return answered('', questions, whole(before), whole(after), [unasked(before), unasked(after)]);
}

/** Fields that are called otherwise in a changed plan, in the scope in which they stand. */
export function renamedFields(
  before: Plan,
  after: Plan,
): { scope: string; from: string; to: string }[] {
  const earlier = new Map(scopesOf(before).map((scope) => [scope.key, scope]));
  return scopesOf(after).flatMap(({ key: scope, fields }) =>
    [...renamedKeys(earlier.get(scope)?.fields ?? [], fields)].map(([from, to]) => ({
      ...{ scope, from, to },
    })),
  );
}

/** Keys that went, each with the new key of the field that saves to the same column or is labelled so. */
function renamedKeys(before: readonly Field[], after: readonly Field[]): Map<string, string> {
  const keys = (fields: readonly Field[]) => new Set(fields.map((field) => field.key));
  const [were, are] = [keys(before), keys(after)];
  const fresh = after.filter((field) => !were.has(field.key));
  return new Map(
    before
      .filter((field) => !are.has(field.key))
      .flatMap((field) => {
        const same = fresh.find((other) =>
          field.savesTo === null ? other.label === field.label : other.savesTo === field.savesTo,
        );
        return same ? [[field.key, same.key] as const] : [];
      }),
  );
}

/** The keys that stand at another place among the others: all but a longest run that kept its order. */
function movedKeys(before: readonly string[], after: readonly string[]): Set<string> {
  const place = new Map(before.map((key, i) => [key, i]));
  const longest: { length: number; from: number }[] = [];
  let end = -1;
  after.forEach((key, i) => {
    const here = place.get(key) ?? 0;
    let best = { length: 1, from: -1 };
    for (let k = 0; k < i; k++) {
      const earlier = longest[k];
      const comesBefore = (place.get(after[k] ?? '') ?? 0) < here;
      if (earlier && comesBefore && earlier.length >= best.length) {
        best = { length: earlier.length + 1, from: k };
      }
    }
    longest.push(best);
    if (end === -1 || best.length > (longest[end]?.length ?? 0)) end = i;
  });
  const moved = new Set(after);
  for (let i = end; i >= 0; i = longest[i]?.from ?? -1) moved.delete(after[i] ?? '');
  return moved;
}

function checks(field: Field): string {
  return field.checks.map(({ holds, message }) => `${holds}: “${message}”`).join('; ');
}

function line({ main, more }: Phrase): string {
  return [main, more].filter((part) => part !== '').join(' · ');
}

function change(kind: PlanChange['kind'], field: string): PlanChange {
  return { kind, field, question: '', before: '', after: '' };
}
