import { plural, say, spoken } from '$lib/core/words/say';
import { reader } from '$lib/core/words/reader';
import type { Choice } from '$lib/core/entry/asks';
import type { Names } from '$lib/core/entry/words';
import type { RehearsalRun } from '$lib/core/contract/answers';
import { systemTitle } from '$lib/core/plan/words';
import {
  isSent,
  placeIn,
  type Json,
  type Rehearsal,
  type RehearsedStep,
  type Strictness,
} from '$lib/core/rehearsal/rehearsal';
import { pathLabel, shownLine } from '$lib/core/table/paths';
import { columnOf, type House } from '$lib/core/table/definition';
import { formatValue } from '$lib/core/values/format';
import { idsOf, type Value, type ValueType } from '$lib/core/values/types';
import type { WiredForm } from '$lib/core/wiring/form';

type Line = RehearsalRun['lines'][number];

/** How much is expected, as it is chosen. */
export const strictnessWords: Record<Strictness, string> = spoken(() => ({
  is: say('exactly'),
  at_least: say('at least'),
  at_most: say('at most'),
  any: say('anything'),
}));

/** A rehearsal in words: its places, its values, what was done and what came. */
export class RehearsalWords {
  readonly #known = new Map<string, string>();

  constructor(
    readonly form: WiredForm,
    readonly tables: House,
    rehearsal: Rehearsal,
  ) {
    for (const { of, answer } of rehearsal.heard) {
      const place = of.slice(of.indexOf(' ') + 1);
      for (const choice of choicesIn(answer)) {
        const table = tableOf(this.#typeAt(place));
        const shown = choice.shown.map((part) => (part === null ? '' : String(part)));
        if (table) this.#known.set(`${table} ${String(choice.value)}`, shownLine(shown));
      }
    }
  }

  /** A place as people say it: "Lines, line 2, Fee". */
  place(at: string): string {
    const { grid, row, field } = placeIn(at);
    const scope = grid === null ? null : this.form.scopes.get(grid);
    const around = grid === null ? [] : [scope?.title ?? grid, say(`line ${(row ?? 0) + 1}`)];
    const fields = grid === null ? this.form.fields : scope?.fields;
    const label = field === null || field === '' ? [] : [fields?.get(field)?.field.label ?? field];
    return [...around, ...label].join(', ');
  }

  /** What a line is about. */
  about({ of, at, is, came }: Line): string {
    switch (of) {
      case 'value':
      case 'hidden':
        return this.place(at);
      case 'offers':
        return say(`What ${this.place(at)} offers`);
      case 'problem':
        return at === '' ? say('Problems of the form') : say(`Problems at ${this.place(at)}`);
      case 'write': {
        const table = String(((came ?? is) as { table?: unknown }).table);
        return say(`Written to ${this.tables.get(table)?.title ?? table}`);
      }
      case 'send': {
        const system = String(((came ?? is) as { connection?: unknown }).connection);
        return say(`Told to ${systemTitle(this.tables, system)}`);
      }
      case 'mail':
        return say('Told by e-mail');
    }
  }

  /** What was expected of a line, and what came. */
  expected(line: Line): string {
    if (line.unexpected) return say('none');
    if (isSent(line.of)) return this.#sent(line.of, line.is, line.fits ? undefined : line.came);
    return this.#said(line, line.is);
  }

  came(line: Line): string {
    if (line.came === undefined) {
      const gone = line.of === 'value' || line.of === 'hidden';
      return gone ? say('the field is gone') : say('none');
    }
    if (isSent(line.of)) {
      if (line.fits) return say('the same');
      return this.#sent(line.of, line.came, line.unexpected ? undefined : line.is);
    }
    // Of a field that is shown and should not be, or the other way round, that is all that came.
    const hidden = line.came === true && !this.#holdsYesNo(line.at);
    if (line.of === 'value' && hidden) return say('not shown');
    if (line.of === 'hidden') return line.came === true ? say('not shown') : say('shown');
    return this.#said(line, line.came);
  }

  #said({ of, at }: Pick<Line, 'of' | 'at'>, is: Json): string {
    if (of === 'hidden') return say('not shown');
    if (of === 'problem') {
      return (is as string[])
        .map((code) => problemWords[code] ?? code.replaceAll('_', ' '))
        .join(', ');
    }
    if (of === 'offers') {
      if (is === 'waits') return say('waits for another field');
      if (typeof is === 'number') return plural(is, ['# choice', '# choices']);
      const type = this.#typeAt(bare(at));
      return (
        (is as Value[]).map((value) => this.#valueOf(type, value)).join(', ') || say('nothing')
      );
    }
    return this.#valueOf(this.#typeAt(bare(at)), is as Value);
  }

  /** What is written or sent, as far as it is another than on the other side. */
  #sent(of: 'write' | 'send' | 'mail', is: Json, other: Json | undefined): string {
    const own = this.#partsOf(of, is);
    const beside = other == null ? null : this.#partsOf(of, other);
    const differing = Object.entries(own.values).filter(
      ([key, value]) => JSON.stringify(value) !== JSON.stringify(beside?.values[key]),
    );
    const parts = differing.map(([key, value]) => own.said(key, value));
    const verb = own.verb === beside?.verb ? [] : [own.verb];
    const missing = Object.keys(beside?.values ?? {}).filter((key) => !(key in own.values));
    const without = missing.map((key) => say(`without ${own.label(key)}`));
    return [...verb, ...parts, ...without].join(', ') || say('the same');
  }

  /** What is done with it, and the values that go, by the names that people know. */
  #partsOf(of: 'write' | 'send' | 'mail', is: Json): Sent {
    if (of === 'write') {
      const { action, table, values } = is as { action: string; table: string; values: Values };
      const own = this.tables.get(table);
      const label = (key: string) => (own && columnOf(own, key)?.label) ?? key;
      const said = (key: string, value: unknown) => {
        const made = typeof value === 'object' && value !== null && 'madeBy' in value;
        const type = (own && columnOf(own, key)?.type) ?? null;
        const shown = made ? say('the new record') : this.#valueOf(type, value as Value);
        return `${label(key)} ${shown}`;
      };
      return { verb: actionWords[action] ?? action, values, label, said };
    }
    if (of === 'send') {
      const { method, address, body } = is as { method: string; address: string; body: Values };
      const said = (key: string, value: unknown) => `${key} ${this.#valueOf(null, value as Value)}`;
      return { verb: `${method} ${address}`, values: body, label: (key) => key, said };
    }
    const { to, people, ...values } = is as { to: string[]; people: string[] } & Values;
    const said = (_: string, value: unknown) => `“${String(value)}”`;
    const label = (key: string) => (key === 'subject' ? say('subject') : say('text'));
    return { verb: say(`to ${[...people, ...to].join(', ')}`), values, label, said };
  }

  /** What was done in a step. */
  step(step: RehearsedStep): string {
    switch (step.do) {
      case 'set':
        return say(
          `${this.place(step.at)} became ${this.#said({ of: 'value', at: step.at }, step.value as Json)}`,
        );
      case 'type':
        return say(`“${step.text}” was typed into ${this.place(step.at)}`);
      case 'add':
        return say(`A line was added to ${this.form.scopes.get(step.grid)?.title ?? step.grid}`);
      case 'remove':
        return say(`${this.place(step.at)} was taken out`);
    }
  }

  /** How the trace calls things. */
  names(): Names {
    return {
      field: (key) => this.place(key),
      path: (field, path) => {
        const table = this.tables.get(tableOf(this.#typeAt(field)) ?? '');
        return table ? pathLabel(this.tables, table, path) : path;
      },
      value: (field, value) => this.#valueOf(this.#typeAt(field), value),
    };
  }

  #valueOf(type: ValueType | null, value: Value): string {
    if (value === null) return say('nothing');
    const table = tableOf(type);
    if (table) {
      const ids = type?.kind === 'references' ? idsOf(value) : [value];
      return ids
        .map((id) => this.#known.get(`${table} ${String(id)}`) ?? `#${String(id)}`)
        .join(', ');
    }
    return type ? formatValue(type, value, reader()) : String(value as string);
  }

  #holdsYesNo(at: string): boolean {
    return this.#typeAt(bare(at))?.kind === 'yes_no';
  }

  /** The type of a field that is named with its grid, and without its row. */
  #typeAt(place: string): ValueType | null {
    const cut = place.lastIndexOf('.');
    const scope = cut === -1 ? '' : place.slice(0, cut);
    return this.form.scopes.get(scope)?.fields.get(place.slice(cut + 1))?.type ?? null;
  }
}

type Values = Record<string, unknown>;

interface Sent {
  verb: string;
  values: Values;
  label: (key: string) => string;
  said: (key: string, value: unknown) => string;
}

const actionWords: Record<string, string> = spoken(() => ({
  insert: say('new'),
  update: say('changed'),
  delete: say('deleted'),
}));

const problemWords: Record<string, string> = spoken(() => ({
  required: say('is required'),
  check_failed: say('a check does not hold'),
  not_offered: say('is not offered'),
  record_gone: say('the record is gone'),
  unknown_match: say('names no record'),
  read_failed: say('could not be read'),
}));

/** A place without its row: `lines.fee`. */
const bare = (at: string) => at.replace(/\[\d+\]/, '');

function tableOf(type: ValueType | null): string | null {
  return type?.kind === 'reference' || type?.kind === 'references' ? type.table : null;
}

function choicesIn(answer: Rehearsal['heard'][number]['answer']): Choice[] {
  if ('named' in answer) return answer.named ? [answer.named] : [];
  if (!('choices' in answer)) return [];
  const { choices, current, known, chosen = [], others = [] } = answer;
  return [
    ...choices,
    ...chosen,
    ...others,
    ...(current ? [current] : []),
    ...(known ? [known] : []),
  ];
}
