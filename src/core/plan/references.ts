import type { House } from '../table/definition';
import type { Picture } from '../table/view';
import { compileIn, formNames, messageParts, personOf } from './formulas';
import { heldTypeIn } from './held';
import {
  type After,
  type Bring,
  type Button,
  type ButtonStep,
  type ExtraWrite,
  type Field,
  type Grid,
  type Mail,
  type Plan,
  type Questions,
  type Rollup,
  type Send,
} from './schema';
import { addressOf, namedPlace, scopesOf, type PlanScope } from './scopes';
import type { Choices, Given, Narrowing, TableChoices } from './choices';

/** What a place of a plan names. */
export type Reference =
  /** A field, in the scope in which it stands: `''` for the form itself. */
  | { kind: 'field'; scope: string; name: string }
  /** A column; `table` is where it stands, `''` where that is not known. */
  | { kind: 'column'; table: string; name: string }
  | { kind: 'table' | 'list' | 'query' | 'system' | 'form' | 'grid'; name: string }
  /** A named view of a table. */
  | { kind: 'view'; table: string; name: string }
  /** A parameter or a column of a query. */
  | { kind: 'parameter' | 'queryColumn'; query: string; name: string };

/**
 * Another name for what a place names, `undefined` for the same, or `null` to take the place out: a
 * narrowing with its condition, a step of a button, a column of what is written. A formula cannot be taken
 * out; it stays as it is, and the checkup says what it names in vain. `at` is the address of the field in
 * which the place stands; `null` for the plan as a whole.
 */
export type Replace = (reference: Reference, at: string | null) => string | null | undefined;

/**
 * The one walk over everything that a plan names: with other names, or without what is taken out. Renaming,
 * removing, looking up what is used and what is reached are this walk with a function of their own.
 */
export function mapReferences(plan: Plan, tables: House, replace: Replace): Plan {
  return new Walk(plan, tables, replace).plan();
}

/** All that a plan names, in the order of the document. */
export function referencesOf(plan: Plan, tables: House): Reference[] {
  const found: Reference[] = [];
  mapReferences(plan, tables, (reference) => void found.push(reference));
  return found;
}

/** The same, each with the address of the field in which it stands; `null` for the plan as a whole. */
export function referencesWithPlaces(
  plan: Plan,
  tables: House,
): { at: string | null; reference: Reference }[] {
  const found: { at: string | null; reference: Reference }[] = [];
  mapReferences(plan, tables, (reference, at) => void found.push({ at, reference }));
  return found;
}

/** Columns of questions and answers that a section can do without. */
const optional = new Set([
  ...['required', 'choices', 'help', 'order', 'group', 'when', 'points', 'least', 'greatest'],
  ...['unit', 'question', 'asked', 'record', 'files'],
]);

class Walk {
  readonly #scopes: ReadonlyMap<string, PlanScope>;
  readonly #names: ReturnType<typeof formNames>;
  #at: string | null = null;

  constructor(
    readonly before: Plan,
    readonly tables: House,
    readonly replace: Replace,
  ) {
    this.#scopes = new Map(scopesOf(before).map((scope) => [scope.key, scope]));
    this.#names = formNames(before, tables);
  }

  plan(): Plan {
    const { before } = this;
    const table = this.#name({ kind: 'table', name: before.table }) ?? before.table;
    const sections = before.sections.map((section) => {
      const scope = this.#scopes.get(section.grid ? section.key : '');
      const grid = section.grid && this.#grid(section.key, section.grid);
      const fields = scope ? section.fields.map((field) => this.#field(field, scope)) : [];
      const { questions } = section;
      const asked = questions ? { questions: this.#questions(questions) } : {};
      return { ...section, grid, fields, ...asked };
    });
    const { sends, mails, buttons, after, through, startsAt } = before;
    return {
      ...before,
      table,
      sections,
      startsAt: startsAt === null ? null : this.#own('', startsAt),
      writes: before.writes.flatMap((write) => this.#write(write) ?? []),
      ...(sends ? { sends: sends.flatMap((send) => this.#send(send) ?? []) } : {}),
      ...(mails ? { mails: mails.map((mail) => this.#mail(mail)) } : {}),
      ...(buttons ? { buttons: buttons.map((button) => this.#button(button)) } : {}),
      ...(after ? { after: this.#after(after) } : {}),
      ...(through ? { through: this.#through(through) } : {}),
    };
  }

  /** The name as it is now; `null` where the place is taken out. */
  #name(reference: Reference): string | null {
    const other = this.replace(reference, this.#at);
    return other === undefined ? reference.name : other;
  }

  #grid(key: string, grid: Grid): Grid {
    const { table, view, within } = grid;
    return {
      ...grid,
      table: this.#name({ kind: 'table', name: table }) ?? table,
      link: this.#name({ kind: 'column', table, name: grid.link }) ?? grid.link,
      within: within === null ? null : this.#name({ kind: 'grid', name: within }),
      view: view === null ? null : this.#name({ kind: 'view', table, name: view }),
      totals: this.#onColumns(grid.totals, table),
      thresholds: this.#onColumns(grid.thresholds, table),
      picture: this.#picture(grid.picture, table),
      shownWhen: this.#formula('', grid.shownWhen),
      rowsWhen: this.#formula(key, grid.rowsWhen),
    };
  }

  /** What a section asks; taken out where its table, or that of its answers, or what a question must have, goes. */
  #questions(questions: Questions): Questions | null {
    const { table, columns, answers, points } = questions;
    const own = this.#name({ kind: 'table', name: table });
    const kept = this.#name({ kind: 'table', name: answers.table });
    const said = this.#columnsOf(table, columns);
    const taken = this.#answers(answers);
    const narrowings = this.#narrowings(questions.narrowings, table, '');
    const total = points === null ? null : this.#own('', points);
    if (own === null || kept === null || said === null || taken === null) return null;
    return {
      table: own,
      narrowings,
      columns: said,
      points: total,
      answers: { ...taken, table: kept },
    };
  }

  #answers({ table, ...columns }: Questions['answers']): Questions['answers'] | null {
    const taken = this.#columnsOf(table, columns);
    return taken && { table, ...taken };
  }

  /** Columns by what they are for; `null` where one that must be there is taken out. */
  #columnsOf<T extends Record<string, string | null>>(table: string, columns: T): T | null {
    const named = Object.entries(columns).map(([name, column]) => {
      const other = column === null ? null : this.#name({ kind: 'column', table, name: column });
      return [name, other] as const;
    });
    const lost = named.some(
      ([name, column]) => column === null && columns[name] !== null && !optional.has(name),
    );
    return lost ? null : (Object.fromEntries(named) as T);
  }

  #onColumns<T extends { column: string }>(list: readonly T[], table: string): T[] {
    return list.flatMap((one) => {
      const column = this.#name({ kind: 'column', table, name: one.column });
      return column === null ? [] : [{ ...one, column }];
    });
  }

  #picture(picture: Picture | null, table: string): Picture | null {
    if (!picture) return null;
    const by = this.#name({ kind: 'column', table, name: picture.by });
    const [total = null] = this.#onColumns(picture.total ? [picture.total] : [], table);
    return by === null ? null : { by, total };
  }

  #field(field: Field, scope: PlanScope): Field {
    this.#at = addressOf(scope.key, field.key);
    const walked = this.#inField(field, scope);
    this.#at = null;
    return walked;
  }

  #inField(field: Field, scope: PlanScope): Field {
    const { key } = scope;
    const { savesTo, holds, outside, rollup } = field;
    const type = heldTypeIn(scope, field, this.tables);
    const chosen = type.kind === 'reference' ? type.table : '';
    const query = field.choices?.kind === 'outside' ? field.choices.query : null;
    return {
      ...field,
      savesTo:
        savesTo === null ? null : this.#name({ kind: 'column', table: scope.table, name: savesTo }),
      holds: holds && this.#held(holds),
      choices: field.choices && this.#choices(field.choices, scope),
      brings: field.brings.flatMap((bring) => this.#bring(bring, key, chosen, query) ?? []),
      computes: this.#formula(key, field.computes),
      rollup: rollup && this.#rollup(rollup, key),
      outside: outside && this.#outside(outside, key),
      initially: this.#formula(key, field.initially),
      requiredWhen: this.#formula(key, field.requiredWhen),
      shownWhen: this.#formula(key, field.shownWhen),
      lockedWhen: this.#formula(key, field.lockedWhen),
      checks: field.checks.map(({ holds: must, message }) => ({
        holds: this.#formula(key, must),
        message: this.#message(key, message),
      })),
    };
  }

  #held(type: NonNullable<Field['holds']>): Field['holds'] {
    if (type.kind === 'option' && type.list !== undefined) {
      const list = this.#name({ kind: 'list', name: type.list });
      return list === null ? null : { ...type, list };
    }
    if (!('table' in type)) return type;
    const { table } = type;
    const other = this.#name({ kind: 'table', name: table });
    if (other === null) return null;
    if (type.kind !== 'references' || !('mirrors' in type) || typeof type.mirrors !== 'string') {
      return { ...type, table: other };
    }
    const mirrors = this.#name({ kind: 'column', table, name: type.mirrors });
    return { ...type, table: other, mirrors: mirrors ?? type.mirrors };
  }

  #choices(choices: Choices, scope: PlanScope): Choices | null {
    switch (choices.kind) {
      case 'values':
        return choices;
      case 'options': {
        const list = this.#name({ kind: 'list', name: choices.list });
        const by = choices.by === null ? null : this.#source(scope.key, choices.by);
        return list === null ? null : { ...choices, list, by };
      }
      case 'outside': {
        const { query } = choices;
        const other = this.#name({ kind: 'query', name: query });
        const stores = this.#name({ kind: 'queryColumn', query, name: choices.stores });
        if (other === null || stores === null) return null;
        const shown = choices.shown.flatMap(
          (name) => this.#name({ kind: 'queryColumn', query, name }) ?? [],
        );
        return {
          ...choices,
          query: other,
          stores,
          shown,
          given: this.#given(choices.given, query, scope.key),
        };
      }
      case 'table':
        return this.#tableChoices(choices, scope.key);
      case 'columns': {
        const of = this.#own(scope.key, choices.of);
        const lookup = scope.fields.find((each) => each.key === choices.of);
        const type = lookup && heldTypeIn(scope, lookup, this.tables);
        const table = type?.kind === 'reference' ? type.table : '';
        const paths = choices.paths.flatMap((path) => this.#path(table, path) ?? []);
        return of === null || paths.length === 0 ? null : { ...choices, of, paths };
      }
    }
  }

  #tableChoices(choices: TableChoices, scope: string): TableChoices | null {
    const { table, stores, typedBy } = choices;
    const other = this.#name({ kind: 'table', name: table });
    const shown = choices.shown.flatMap((path) => this.#path(table, path) ?? []);
    const guests = choices.guests?.flatMap((path) => this.#path(table, path) ?? []);
    const copied =
      stores.kind === 'copy' ? this.#name({ kind: 'column', table, name: stores.column }) : '';
    const order = choices.order.flatMap((each) => this.#onPath(each, table) ?? []);
    const conditions = choices.conditions.flatMap((each) => this.#onPath(each, table) ?? []);
    const narrowings = this.#narrowings(choices.narrowings, table, scope);
    const typed = typedBy === null ? null : this.#name({ kind: 'column', table, name: typedBy });
    if (other === null || copied === null) return null;
    return {
      ...choices,
      table: other,
      shown,
      stores: stores.kind === 'copy' ? { ...stores, column: copied } : stores,
      order,
      conditions,
      narrowings,
      typedBy: typed,
      ...(guests ? { guests: guests.length > 0 ? guests : undefined } : {}),
    };
  }

  #rollup(rollup: Rollup, scope: string): Rollup | null {
    const { table } = rollup;
    const other = this.#name({ kind: 'table', name: table });
    const path = rollup.path === null ? null : this.#path(table, rollup.path);
    const conditions = rollup.conditions.flatMap((each) => this.#onPath(each, table) ?? []);
    const less = rollup.less.flatMap((each) => this.#onPath(each, table) ?? []);
    const narrowings = this.#narrowings(rollup.narrowings, table, scope);
    if (other === null || (rollup.path !== null && path === null)) return null;
    return { ...rollup, table: other, path, conditions, less, narrowings };
  }

  #outside(outside: NonNullable<Field['outside']>, scope: string): Field['outside'] {
    const { query } = outside;
    const other = this.#name({ kind: 'query', name: query });
    const column = this.#name({ kind: 'queryColumn', query, name: outside.column });
    const given = this.#given(outside.given, query, scope);
    return other === null || column === null ? null : { ...outside, query: other, column, given };
  }

  #given(given: readonly Given[], query: string, scope: string): Given[] {
    return given.flatMap((each) => {
      const parameter = this.#name({ kind: 'parameter', query, name: each.parameter });
      const field = this.#source(scope, each.field);
      return parameter === null || field === null ? [] : [{ ...each, parameter, field }];
    });
  }

  #narrowings(narrowings: readonly Narrowing[], table: string, scope: string): Narrowing[] {
    return narrowings.flatMap((each) => {
      const onPath = this.#onPath(each, table);
      const field = this.#source(scope, each.field);
      return onPath === null || field === null ? [] : [{ ...onPath, field }];
    });
  }

  #onPath<T extends { path: string }>(each: T, table: string): T | null {
    const path = this.#path(table, each.path);
    return path === null ? null : { ...each, path };
  }

  #bring(bring: Bring, scope: string, chosen: string, query: string | null): Bring | null {
    const path =
      bring.path === null
        ? null
        : query === null
          ? this.#path(chosen, bring.path)
          : this.#name({ kind: 'queryColumn', query, name: bring.path });
    const by = bring.by === null ? null : this.#own(scope, bring.by);
    const into = bring.into === null ? null : this.#own(scope, bring.into);
    const gone = (was: string | null, is: string | null) => was !== null && is === null;
    // What has nowhere to go, or nothing to bring, is taken out whole.
    if (gone(bring.path, path) || gone(bring.by, by) || gone(bring.into, into)) return null;
    return { ...bring, path, by, into };
  }

  #write(write: ExtraWrite): ExtraWrite | null {
    const { table, each } = write;
    const other = this.#name({ kind: 'table', name: table });
    const grid = each === null ? null : this.#name({ kind: 'grid', name: each });
    const scope = each ?? '';
    const values = this.#entries(write.values, (name, formula) => {
      const column = this.#name({ kind: 'column', table, name });
      return column === null ? null : [column, this.#formula(scope, formula)];
    });
    const [record, when] = [this.#formula(scope, write.record), this.#formula(scope, write.when)];
    if (other === null || (each !== null && grid === null)) return null;
    return { ...write, table: other, each: grid, record, when, values };
  }

  #send(send: Send): Send | null {
    const connection = this.#name({ kind: 'system', name: send.connection });
    const when = this.#formula('', send.when);
    const values = this.#formulas(send.values);
    return connection === null ? null : { ...send, connection, when, values };
  }

  #button(button: Button): Button {
    const steps = button.steps.flatMap((step) => this.#step(step) ?? []);
    return { ...button, when: this.#formula('', button.when), steps };
  }

  #step(step: ButtonStep): ButtonStep | null {
    switch (step.do) {
      case 'ask':
      case 'save':
        return step;
      case 'set': {
        const field = this.#own('', step.field);
        const to = this.#formula('', step.to);
        return field === null ? null : { ...step, field, to };
      }
      case 'tell': {
        const connection = this.#name({ kind: 'system', name: step.connection });
        const values = this.#formulas(step.values);
        return connection === null ? null : { ...step, connection, values };
      }
      case 'open': {
        const form = this.#name({ kind: 'form', name: step.form });
        const carry = this.#formulas(step.carry);
        return form === null ? null : { ...step, form, carry };
      }
    }
  }

  #after(after: After): After {
    const form = after.form === null ? null : this.#name({ kind: 'form', name: after.form });
    const message = this.#message('', after.message);
    return { ...after, message, form, carry: this.#formulas(after.carry) };
  }

  #mail({ on, when, to, subject, text }: Mail): Mail {
    return {
      on,
      when: when === null ? null : this.#formula('', when),
      to: this.#message('', to),
      subject: this.#message('', subject),
      text: this.#message('', text),
    };
  }

  /** A text with formulas in it. */
  #message(scope: string, message: string): string {
    return messageParts(message)
      .map((part) => (part.formula ? `{${this.#formula(scope, part.text)}}` : part.text))
      .join('');
  }

  #through(through: NonNullable<Plan['through']>): Plan['through'] {
    const query = this.#name({ kind: 'query', name: through.query });
    const key = this.#name({ kind: 'parameter', query: through.query, name: through.key });
    const columns = this.#entries(through.columns, (name, held) => {
      const field = this.#own('', name);
      const column = this.#name({ kind: 'queryColumn', query: through.query, name: held });
      return field === null || column === null ? null : [field, column];
    });
    return query === null || key === null ? null : { ...through, query, key, columns };
  }

  #formulas(values: Readonly<Record<string, string>>): Record<string, string> {
    return this.#entries(values, (name, formula) => [name, this.#formula('', formula)]);
  }

  #entries(
    values: Readonly<Record<string, string>>,
    map: (name: string, value: string) => [string, string] | null,
  ): Record<string, string> {
    return Object.fromEntries(
      Object.entries(values).flatMap(([name, value]) => {
        const made = map(name, value);
        return made ? [made] : [];
      }),
    );
  }

  /** A field of a scope by its key. */
  #own(scope: string, name: string): string | null {
    return this.#name({ kind: 'field', scope, name });
  }

  /** A field as a narrowing names it: `town`, or `parent.town` from a row. */
  #source(scope: string, written: string): string | null {
    const place = namedPlace(this.#scopes, scope, written);
    if (!place) return written;
    const name = this.#own(place.scope.key, place.key);
    return name === null ? null : written.slice(0, written.length - place.key.length) + name;
  }

  /** The columns of a path, each in the table in which it stands. */
  #path(start: string, written: string): string | null {
    let table = start;
    const steps = written.split('.').map((name) => {
      const column = this.tables.get(table)?.columns.find((each) => each.key === name);
      const other = this.#name({ kind: 'column', table, name });
      table = column?.type.kind === 'reference' ? column.type.table : '';
      return other;
    });
    return steps.includes(null) ? null : steps.join('.');
  }

  /** A formula with other words for what it names; one that cannot be read stays as it is. */
  #formula<T extends string | null>(scope: string, source: T): T {
    if (source === null) return source;
    const compiled = compileIn(this.#names.get(scope), source);
    if ('problem' in compiled) return source;
    const places = new Map(compiled.formula.mentions.map((mention) => [mention.from, mention]));
    return [...places.values()]
      .sort((a, b) => b.from - a.from)
      .reduce<string>((text, { of, key, from, to }) => {
        const reference = this.#mentioned(scope, of, key);
        const name = reference ? (this.#name(reference) ?? key) : key;
        return name === key ? text : text.slice(0, from) + name + text.slice(to);
      }, source) as T;
  }

  /** What a word of a formula names: a field, the rows of a grid, or a column of a table. */
  #mentioned(scope: string, of: string | null, name: string): Reference | null {
    const own = of === null || of === '' || of.endsWith('[]');
    if (of === personOf) return this.tables.has(name) ? { kind: 'table', name } : null;
    if (!own) return of === '{}' || of === 'link' ? null : { kind: 'column', table: of, name };
    const at = of === null ? scope : of.replace(/\[\]$/, '');
    const fields = this.#scopes.get(at)?.fields ?? [];
    if (fields.some(({ key }) => key === name)) return { kind: 'field', scope: at, name };
    return this.#scopes.has(name) && name !== '' ? { kind: 'grid', name } : null;
  }
}
