import { formulaWords, operandWords, type Called } from './sentence-words';
import { countWords } from '../words/about';
import { isLookedThrough, isTakenIn, isUnsorted } from './indexes';
import { plural, say, spoken } from '../words/say';
import { reader } from '../words/reader';
import { operatorWords, type Condition } from '../table/conditions';
import { columnOf, type Table, type House } from '../table/definition';
import { pathLabel } from '../table/paths';
import { formatValue } from '../values/format';
import { typePhrase } from '../values/types';
import { chosenColumn, heldTypeIn, shownPaths } from './held';
import { namedLabel, type Sight } from './sight';
import {
  type ButtonStep,
  type ExtraWrite,
  type Bring,
  type Field,
  type Plan,
  type Rollup,
} from './schema';
import { fieldOf, type PlanScope } from './scopes';
import { optionChoices, tableChoices, type TableChoices } from './choices';

/** What a cell of the plan sheet says: a short phrase, and what is less important under it. */
export interface Phrase {
  main: string;
  more: string;
}

/** The label of a field, with its grid before it. */
export function scopedLabel(scope: PlanScope, field: Field): string {
  return scope.key === '' ? field.label : `${scope.title} › ${field.label}`;
}

const nothing: Phrase = { main: '', more: '' };

/** Where a field's value comes from: `town: Name` / `96, by name`, `= rate * weeks` / `computed`. */
export function sourcePhrase(
  sight: Sight,
  field: Field,
  tables: House,
  counts: ReadonlyMap<string, number>,
): Phrase {
  if (field.computes !== null) return { main: `= ${field.computes}`, more: say('computed') };
  if (field.rollup) return rollupPhrase(field.rollup, tables, counts);
  const { choices, outside } = field;
  if (outside) {
    const query = tables.queries.get(outside.query);
    const column = query?.columns.find(({ key }) => key === outside.column)?.label;
    if (!query) return { main: `${outside.query}?`, more: say('no such query') };
    return { main: `${query.title}: ${column ?? `${outside.column}?`}`, more: say('from outside') };
  }
  switch (choices?.kind) {
    case 'values': {
      const labels = choices.values.map((option) => option.label);
      return { main: labels.join(', ') || say('no values yet'), more: say('typed in') };
    }
    case 'options': {
      const list = tables.lists.get(choices.list);
      if (!list) return { main: `${choices.list}?`, more: say('no such list') };
      const offered = list.values.filter((option) => !option.retired).length;
      return { main: say(`list ${list.title}`), more: say(`${offered} values`) };
    }
    case 'outside': {
      const query = tables.queries.get(choices.query);
      if (!query) return { main: `${choices.query}?`, more: say('no such query') };
      const labels = choices.shown.map((key) => query.columns.find((c) => c.key === key)?.label);
      return { main: `${query.title}: ${labels.join(', ')}`, more: say('chosen outside') };
    }
    case 'columns': {
      const label = namedLabel(sight, choices.of);
      return { main: say(`columns of ${label}`), more: choices.paths.join(', ') };
    }
    case 'table':
      return choicesPhrase(field, choices, tables, counts);
    default:
      return broughtPhrase(sight, field, tables);
  }
}

function choicesPhrase(
  field: Field,
  choices: TableChoices,
  tables: House,
  counts: ReadonlyMap<string, number>,
): Phrase {
  const table = tables.get(choices.table);
  if (!table) return { main: `${choices.table}?`, more: say('no such table') };
  const shown = shownPaths(choices, tables).map((path) => pathLabel(tables, table, path));
  const order = choices.distinct
    ? say('each once')
    : choices.order
        .map((o) => say(`by ${pathLabel(tables, table, o.path).toLowerCase()}`))
        .join(', ');
  const copied =
    choices.stores.kind === 'copy' && !choices.distinct
      ? say(`copies ${columnOf(table, choices.stores.column)?.label.toLowerCase() ?? '?'}`)
      : '';
  const typed = choices.typedBy === null ? '' : say(`typed by ${choices.typedBy}`);
  const count = counted(counts.get(table.key));
  const where = conditionWords(choices.conditions, table, tables);
  const open = choices.everyone === true ? say('everything, for everyone') : '';
  const guests = choices.guests
    ? say(`guests see ${choices.guests.map((path) => pathLabel(tables, table, path)).join(', ')}`)
    : '';
  const slow = isLookedThrough(field, tables, counts)
    ? say('searched fast once published')
    : isTakenIn(field, tables)
      ? say('its words are being indexed')
      : '';
  const unsorted = isUnsorted(field, tables, counts) ? say('too many to be sorted') : '';
  const said = [count, unsorted || order, slow, copied, typed, open, guests, ...where];
  const more = said.filter((part) => part !== '');
  return { main: `${table.title}: ${shown.join(', ')}`, more: more.join(' · ') };
}

/** How many records a table has, where that is known. */
function counted(records: number | undefined): string {
  return records === undefined ? '' : countWords(records);
}

/** An aggregate in words: `sum of Quantity` / `Copy movement, 90,000 · kind is one of received`. */
function rollupPhrase(rollup: Rollup, tables: House, counts: ReadonlyMap<string, number>): Phrase {
  const table = tables.get(rollup.table);
  if (!table) return { main: `${rollup.table}?`, more: say('no such table') };
  const column = rollup.path === null ? say('records') : pathLabel(tables, table, rollup.path);
  const count = counted(counts.get(table.key));
  const where = conditionWords(rollup.conditions, table, tables);
  const less = conditionWords(rollup.less, table, tables);
  const from = count ? `${table.title}, ${count}` : table.title;
  return {
    main: say(`${aggregateWords[rollup.aggregate]} of ${column}`),
    more: [
      from,
      ...where,
      ...(less.length > 0 ? [say(`less those where ${less.join(', ')}`)] : []),
    ].join(' · '),
  };
}

/** How an aggregate is called. */
export const aggregateWords: Record<Rollup['aggregate'], string> = spoken(() => ({
  count: say('number'),
  sum: say('sum'),
  least: say('least'),
  greatest: say('greatest'),
  average: say('average'),
}));

function broughtPhrase(sight: Sight, field: Field, tables: House): Phrase {
  for (const lookup of sight.fields) {
    const bring = lookup.brings.find((b) => b.into === field.key);
    if (!bring) continue;
    const type = heldTypeIn(sight, lookup, tables);
    const known = bring.path ?? say(`what ${namedLabel(sight, bring.by)} says`);
    const column = bring.path === null ? null : chosenColumn(tables, lookup, type, bring.path);
    return { main: say(`${column?.label ?? known} of ${lookup.label}`), more: bringWords(bring) };
  }
  return nothing;
}

function bringWords({ keeps, editable }: Bring): string {
  const how = keeps === 'live' ? say('brought, live') : say('brought, as it was when chosen');
  return editable ? say(`${how}, editable`) : how;
}

function conditionWords(conditions: readonly Condition[], table: Table, tables: House): string[] {
  return conditions.map((c) => {
    const values = c.values.map((v) => String(v)).join(', ');
    return `${pathLabel(tables, table, c.path).toLowerCase()} ${operatorWords[c.operator]} ${values}`;
  });
}

/** By which fields a field is narrowed: `Region`. */
export function narrowedPhrase(sight: Sight, field: Field, tables: House): Phrase {
  const given =
    field.choices?.kind === 'outside' ? field.choices.given : (field.outside?.given ?? []);
  if (given.length > 0) {
    const names = given.map(({ field: key }) => namedLabel(sight, key));
    return { main: names.join(', '), more: say('given to the query') };
  }
  const by = optionChoices(field)?.by ?? null;
  if (by !== null) return { main: namedLabel(sight, by), more: say('belongs to') };
  const source = tableChoices(field) ?? field.rollup;
  if (!source || source.narrowings.length === 0) return nothing;
  const table = tables.get(source.table);
  const labels = source.narrowings.map((n) => namedLabel(sight, n.field));
  const special = source.narrowings
    .filter((n) => n.operator !== 'equal' || n.whileEmpty === 'everything')
    .map((n) => {
      const column = table ? pathLabel(tables, table, n.path).toLowerCase() : n.path;
      if (n.operator !== 'equal') return `${column} ${operatorWords[n.operator]}`;
      return say(`all while ${namedLabel(sight, n.field)} is empty`);
    });
  return { main: labels.join(', '), more: special.join(', ') };
}

/** What a chosen record brings along: `Phone, E-mail` / `Contact into Contact`. */
export function bringsPhrase(sight: Sight, field: Field, tables: House): Phrase {
  const type = heldTypeIn(sight, field, tables);
  const label = (bring: Bring) => {
    if (bring.path === null) return say(`what ${namedLabel(sight, bring.by)} says`);
    return chosenColumn(tables, field, type, bring.path)?.label ?? bring.path;
  };
  const shown = field.brings.filter((b) => b.into === null).map(label);
  const copied = field.brings
    .filter((b) => b.into !== null)
    .map((b) => `${label(b)} → ${namedLabel(sight, b.into)}`);
  if (shown.length === 0) return { main: copied.join(', '), more: '' };
  return { main: shown.join(', '), more: copied.join(', ') };
}

const controlWords: Record<Field['control'], string[]> = spoken(() => ({
  box: [],
  tick: [say('a tick box')],
  switch: [say('a switch')],
  radio: [say('radio buttons')],
}));

/** How the names of a scope are told: its fields, and columns of what they have chosen. */
function calledIn(sight: Sight, tables: House): Called {
  return ([first = '', ...rest]) => {
    const field = sight.fields.find(({ key }) => key === first);
    if (!field) return null;
    const type = heldTypeIn(sight, field, tables);
    const [column, ...further] = rest;
    if (column === undefined) return { label: field.label, type };
    const found = further.length === 0 ? chosenColumn(tables, field, type, column) : null;
    return found && { label: `${field.label} › ${found.label}`, type: found.type };
  };
}

/** The rules of a field: `required, take the only one` / `begins with = today()`. */
export function rulesPhrase(sight: Sight, field: Field, tables: House): Phrase {
  const rules = [
    ...(field.required ? [say('required')] : []),
    ...(field.checks.length > 0 ? [plural(field.checks.length, ['# check', '# checks'])] : []),
    ...(tableChoices(field)?.takeOnly ? [say('take the only one')] : []),
    ...(field.shows === 'input' ? controlWords[field.control] : []),
    ...(field.shows === 'line' ? [say('shown as a line')] : []),
    ...(field.shows === 'list' ? [say('shows the rows')] : []),
    ...(field.shows === 'nothing' ? [say('not in the form')] : []),
  ];
  const called = calledIn(sight, tables);
  const said = (formula: string) => formulaWords(formula, called, reader());
  const begins =
    field.initial === null
      ? null
      : say(
          `begins with ${formatValue(heldTypeIn(sight, field, tables), field.initial, reader())}`,
        );
  const conditions = [
    field.shownWhen && say(`shown when ${said(field.shownWhen)}`),
    field.requiredWhen && say(`required when ${said(field.requiredWhen)}`),
    field.lockedWhen && say(`locked when ${said(field.lockedWhen)}`),
    field.initially
      ? say(
          `begins with ${operandWords(field.initially, heldTypeIn(sight, field, tables), called, reader())}`,
        )
      : begins,
    sight.startsAt === field.key ? say('the cursor starts here') : null,
    field.carries ? say('kept for the next record') : null,
  ].filter((words) => words !== null);
  const [first = '', ...rest] = rules.length > 0 ? [rules.join(', '), ...conditions] : conditions;
  return { main: first, more: rest.join(' · ') };
}

/** Where a field is saved: the label of the column, or that it is not saved. */
export function savesPhrase(sight: Sight, field: Field, tables: House): Phrase {
  const passed = sight.through?.columns[field.key];
  if (passed !== undefined) {
    return {
      main: say('not stored here'),
      more: sight.through?.write ? say(`outside: ${passed}`) : say('shown'),
    };
  }
  if (field.savesTo === null) return { main: say('not saved'), more: '' };
  const table = tables.get(sight.table);
  const column = table ? columnOf(table, field.savesTo) : undefined;
  if (!column) return { main: `${field.savesTo}?`, more: say('no such column') };
  return { main: column.label, more: typePhrase(column.type, tables) };
}

/** When a record is written besides, in words. */
export const occasionWords: Record<ExtraWrite['on'], string> = spoken(() => ({
  new: say('for a new record'),
  every_save: say('at every save'),
  removal: say('when a line is taken out'),
}));

/** How people know an outside system; its key, where it is gone. */
export function systemTitle(tables: House, key: string): string {
  return tables.systems.get(key)?.title ?? `${key}?`;
}

/** What a step of a button does, in words. */
export function stepWords(step: ButtonStep, plan: Plan, tables: House): string {
  switch (step.do) {
    case 'set':
      return say(`sets ${fieldOf(plan, step.field)?.label ?? step.field} to ${step.to}`);
    case 'ask':
      return say('reads again');
    case 'save':
      return 'saves';
    case 'tell':
      return say(`tells ${systemTitle(tables, step.connection)}: ${step.method} ${step.address}`);
    case 'open':
      return say(`opens ${step.form}`);
  }
}
