import type { Choice, Offer } from '$lib/core/entry/asks';
import type { Row } from '$lib/core/entry/entry';
import { whyEmpty, type Names } from '$lib/core/entry/words';
import { tableChoices } from '$lib/core/plan/choices';
import { chosenColumn, leafPath } from '$lib/core/plan/held';
import { pathLabel, shownLine } from '$lib/core/table/paths';
import { formatValue } from '$lib/core/values/format';
import { idsOf, type Value } from '$lib/core/values/types';
import type { WiredField } from '$lib/core/wiring/wired';
import { reader } from '$lib/core/words/reader';
import { unseenRecord } from '$lib/core/words/unseen';
import type { SeenEntry } from './seen-entry';

/** How an entry on the screen reads: its fields and rows by name, their values as people write them. */
export class SessionWords {
  readonly #seen: SeenEntry;

  constructor(seen: SeenEntry) {
    this.#seen = seen;
  }

  /** The label of a field; one of a grid is named `grid.field`. */
  label(key: string): string {
    const { form } = this.#seen;
    const [grid = '', inRow] = key.split('.');
    const scope = form.scopes.get(grid);
    if (inRow && scope) return `${scope.title} › ${scope.fields.get(inRow)?.field.label ?? inRow}`;
    return form.fields.get(key)?.field.label ?? scope?.title ?? key;
  }

  /** The label of a field as a row names it: `parent.town`. */
  labelNamed(name: string, row?: Row): string {
    const wired = this.#seen.named(name, row)?.wired;
    // Nobody sees a field that is not shown: what brings it there is to be chosen.
    const seen = wired?.field.shows === 'nothing' ? (wired.broughtBy?.from ?? wired) : wired;
    return seen?.field.label ?? this.label(name);
  }

  /** Where a row stands, as people count: "Towns, line 2, Ensembles, line 1". */
  row(row: Row): string {
    const { scope, parent } = row;
    const place = this.#seen.rows(scope.key, parent ?? undefined).indexOf(row) + 1;
    const around = parent && parent.scope.key !== '' ? `${this.row(parent)}, ` : '';
    return `${around}${scope.title}, line ${place}`;
  }

  /** A field's value as people read it. */
  shown(key: string, row?: Row): string {
    const members = this.members(key, row);
    if (members.length > 0) return members.map(({ line }) => line).join(', ');
    const { value, current, wired, choices } = this.#seen.cell(key, row);
    if (current) return this.choice(current);
    const { field, type } = wired;
    if (field.choices?.kind === 'columns' && value !== null) {
      return this.column(key, String(value), row);
    }
    if (field.choices?.kind === 'values') {
      const { values } = field.choices;
      return values.find((option) => option.value === value)?.label ?? String(value ?? '');
    }
    if (value === null) return '';
    if (type.kind !== 'reference') return formatValue(type, value, reader());
    // A record is not known before the list has confirmed it.
    return choices.status === 'asking' ? '…' : unseenRecord();
  }

  /** The records that a field has chosen, each in one line; marked where one is not offered. */
  members(key: string, row?: Row): { id: number; line: string; bad: boolean }[] {
    const { value, chosen, notOffered, choices } = this.#seen.cell(key, row);
    const offered = choices.status === 'offered' ? choices.offer.chosen : undefined;
    return idsOf(value).map((id) => {
      const choice = chosen.find((candidate) => candidate.value === id);
      const bad = notOffered && !offered?.some((candidate) => candidate.value === id);
      return { id, line: choice ? this.choice(choice) : unseenRecord(), bad };
    });
  }

  /** A choice in one line: the first shown columns. */
  choice(choice: Choice): string {
    const parts = choice.shown.map((part) => (part === null ? '' : String(part)));
    return shownLine(parts.length > 0 ? parts : [String(choice.value)]);
  }

  /** How a column is called, that a field offers to be read from a chosen record. */
  column(key: string, path: string, row?: Row): string {
    const choices = this.#seen.wired(key, row)?.field.choices;
    const of = choices?.kind === 'columns' ? this.#seen.wired(choices.of, row)?.type : null;
    const table = of?.kind === 'reference' ? this.#seen.tables.get(of.table) : undefined;
    return table ? pathLabel(this.#seen.tables, table, path) : path;
  }

  /** What a chosen record brings beside its lookup: labels and values as people read them. */
  brought(key: string, row?: Row): { path: string; label: string; shown: string; sure: boolean }[] {
    const { tables } = this.#seen;
    const { value, columns, wired } = this.#seen.cell(key, row);
    const { field, type } = wired;
    if (value === null || field.brings.length === 0) return [];
    const table = type.kind === 'reference' ? type.table : '';
    const sure = columns.record === value;
    return field.brings.flatMap(({ path, into }) => {
      if (path === null || into !== null) return [];
      const column = chosenColumn(tables, field, type, path);
      const leaf = chosenColumn(tables, field, type, leafPath(tables, table, path));
      if (!column || !leaf) return [];
      const shown = formatValue(leaf.type, columns.values?.[path] ?? null, reader());
      return [{ path, label: column.label, shown, sure }];
    });
  }

  /** Why a field offers nothing, in sentences. */
  whyEmpty(key: string, offer: Offer, row?: Row): string[] {
    const name = row ? `${row.scope.key}.${key}` : key;
    return offer.empty ? whyEmpty(name, offer.empty, this.names) : [];
  }

  /** How the parts of the form are called. */
  get names(): Names {
    return {
      field: (key) => this.label(key),
      path: (key, path) => {
        const wired = this.#anywhere(key);
        const choices = wired ? tableChoices(wired.field) : null;
        const referred = wired?.type.kind === 'reference' ? wired.type.table : undefined;
        const table = this.#seen.tables.get(choices?.table ?? referred ?? '');
        return table ? pathLabel(this.#seen.tables, table, path) : path;
      },
      value: (key, value) => this.#valueOf(key, value),
    };
  }

  #valueOf(key: string, value: Value): string {
    const wired = this.#anywhere(key);
    if (!wired) return String(value);
    const now = wired.scope === '' && this.#seen.cell(key).value === value ? this.shown(key) : '';
    return now || formatValue(wired.type, value, reader());
  }

  /** A field of the form, or of a grid by `grid.field`. */
  #anywhere(key: string): WiredField | undefined {
    const { form } = this.#seen;
    const [grid = '', inRow] = key.split('.');
    return inRow ? form.scopes.get(grid)?.fields.get(inRow) : form.fields.get(key);
  }
}
