import type { EntryFormula } from '../plan/formulas';
import type { Value } from '../values/types';
import type { WiredScope } from '../wiring/wired';
import type { WiredWrite } from '../wiring/writes';
import type { Entry, Row } from './entry';
import { RecordLink, SavedRecord } from './records';
import { Planning } from './planned';
import { answerWrites } from './answer-rows';
import { type PlannedValue, type PlannedWrite } from './planned-write';
import { changedColumns, type StoredRecord } from './stored';
import { isAnswerColumn } from '../plan/asked-set';

/**
 * The records that saving the entry would write, in order: the form's own, the rows of its grids with
 * the link to what is around them, what the plan writes besides, and last the rows that were taken out,
 * inner ones first. What stays as it is stored is not written.
 */
export function writePlan(entry: Entry): PlannedWrite[] {
  return plannedWrites(new Planning(entry));
}

/** The same, with what does not fit noted by the planning. */
export function plannedWrites(planning: Planning): PlannedWrite[] {
  const { entry } = planning;
  const { scopes } = entry.form;
  const root = scopes.get('');
  if (!root) return [];
  const writes = [...hostWrites(entry, root, entry.root, '', {}), ...answerWrites(entry)];
  /** Which write makes the record of a host. */
  const made = new Map<Row, number>([[entry.root, 0]]);
  const around = ({ parent }: Row): PlannedValue => {
    const host = parent ?? entry.root;
    return host.stored ? host.stored.id : { madeBy: made.get(host) ?? 0 };
  };
  const deletes: PlannedWrite[] = [];
  for (const scope of scopes.values()) {
    const { link, key, table } = scope;
    if (link === null) continue;
    keptRows(entry, key).forEach((row, i) => {
      made.set(row, writes.length);
      writes.push(...hostWrites(entry, scope, row, `${key}[${i}]`, { [link]: around(row) }));
    });
    const gone = goneRows(entry, key).flatMap(({ stored }): PlannedWrite[] => {
      if (!stored) return [];
      const { id, version } = stored;
      return [{ action: 'delete', table, id, version, values: {}, path: key }];
    });
    deletes.unshift(...gone);
  }
  return [...writes, ...extraWrites(planning, made), ...deletes];
}

/** The rows of a grid that are to be there after a save; of the form itself, that one. */
function keptRows(entry: Entry, scope: string): readonly Row[] {
  if (scope === '') return [entry.root];
  return entry.isThere(scope) ? entry.rows(scope) : [];
}

/** The stored rows that are not to be there after a save: taken out, or with a grid that a change took away. */
function goneRows(entry: Entry, scope: string): readonly Row[] {
  const left = entry.isTakenAway(scope) ? entry.storedRows(scope) : [];
  const id = ({ stored }: Row) => stored?.id ?? 0;
  // In one order, whichever was taken out first.
  return [...entry.removed(scope), ...left].sort((a, b) => id(a) - id(b));
}

/** What is written of the form itself, or of one row: a new record, its changes, or nothing. */
function hostWrites(
  entry: Entry,
  scope: WiredScope,
  host: Row,
  path: string,
  links: Record<string, PlannedValue>,
): PlannedWrite[] {
  const { stored } = host;
  const { table } = scope;
  const value = (field: string) => entry.value(field, host);
  if (!stored) {
    const values: Record<string, PlannedValue> = {};
    for (const { field } of scope.list) {
      if (field.savesTo !== null && !field.asked) values[field.savesTo] = value(field.key);
    }
    const all = { ...values, ...links };
    return [{ action: 'insert', table, id: null, version: null, values: all, path }];
  }
  const changed = changedColumns(scope, stored, value);
  if (Object.keys(changed).length === 0) return [];
  const { id, version } = stored;
  const [answers, values] = parted(changed, stored);
  const besides = Object.keys(answers).length === 0 ? {} : { answers };
  return [{ action: 'update', table, id, version, values, path, ...besides }];
}

/** What changes of a sheet: its answers, and its own columns. */
function parted(
  changed: Readonly<Record<string, Value>>,
  { values: was }: StoredRecord,
): [answers: NonNullable<PlannedWrite['answers']>, values: Record<string, Value>] {
  const answers: NonNullable<PlannedWrite['answers']> = {};
  const values: Record<string, Value> = {};
  for (const [column, after] of Object.entries(changed)) {
    if (isAnswerColumn(column)) answers[column] = { before: was[column] ?? null, after };
    else values[column] = after;
  }
  return [answers, values];
}

function extraWrites(planning: Planning, made: ReadonlyMap<Row, number>): PlannedWrite[] {
  const { entry } = planning;
  return entry.form.writes.flatMap((write) => {
    const { scope } = write;
    const hosts = keptRows(entry, scope);
    const path = (i: number) => (scope === '' ? '' : `${scope}[${i}]`);
    switch (write.on) {
      case 'new':
        return hosts.flatMap((host, i) =>
          host.stored ? [] : extraWrite(planning, made, write, host, path(i)),
        );
      case 'every_save':
        return hosts.flatMap((host, i) => extraWrite(planning, made, write, host, path(i)));
      case 'removal':
        return goneRows(entry, scope).flatMap((host) =>
          extraWrite(planning, made, write, host, scope),
        );
    }
  });
}

function extraWrite(
  planning: Planning,
  made: ReadonlyMap<Row, number>,
  write: WiredWrite,
  host: Row,
  path: string,
): PlannedWrite[] {
  const { table, when, record, values } = write;
  if (when && planning.result(host, path, when) !== true) return [];
  const written = values.map(({ column, formula }): [string, PlannedValue] => {
    const place = newRecord(planning, made, host, path, formula);
    return [column.key, place ?? planning.value(host, path, formula, column.type, column.label)];
  });
  const planned = { table, version: null, values: Object.fromEntries(written), path };
  if (!record) return [{ ...planned, action: 'insert', id: null }];
  const found = planning.result(host, path, record);
  if (!(found instanceof RecordLink)) return [];
  return [{ ...planned, action: 'update', id: found.id }];
}

/** The record being saved, where a formula names one that is made by this very save. */
function newRecord(
  planning: Planning,
  made: ReadonlyMap<object, number>,
  host: Row,
  path: string,
  formula: EntryFormula,
): PlannedValue | null {
  if (!formula.reads.some((names) => names.at(-1) === 'record')) return null;
  const found = planning.result(host, path, formula);
  if (!(found instanceof SavedRecord) || found.host.stored) return null;
  const by = made.get(found.host);
  return by === undefined ? null : { madeBy: by };
}

/** The records that are changed besides, of which a save must know the newest state. */
export function changedBesides(entry: Entry): { table: string; id: number }[] {
  return entry.form.writes.flatMap(({ table, scope, on, record }) => {
    if (!record) return [];
    const hosts = on === 'removal' ? goneRows(entry, scope) : keptRows(entry, scope);
    return hosts.flatMap((host) => {
      const id = recordOf(entry, host, record);
      return id === null ? [] : [{ table, id }];
    });
  });
}

function recordOf(entry: Entry, host: Row, formula: EntryFormula): number | null {
  const found = new Planning(entry).result(host, '', formula);
  return found instanceof RecordLink ? found.id : null;
}
