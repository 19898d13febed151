import {
  examinedTogether,
  importedTogether,
  type ExaminedTogether,
  type ImportedTogether,
} from '$lib/core/contract/answers';
import type { ColumnProfile } from '$lib/core/formats/csv-profile';
import type { ImportColumn } from '$lib/core/formats/csv-rows';
import type { Problem } from '$lib/core/problems';
import { say } from '$lib/core/words/say';
import { keyFrom, labelFrom, type Table } from '$lib/core/table/definition';
import { call, callResult } from '$lib/ui/shared/api';
import { sendFile } from '$lib/ui/shared/files';
import { insteadOf, withCorrection, type Correction } from './corrections';

/** A column of a file as it is to come in; whether it is among those that show a record. */
export type ComingColumn = ImportColumn & { included: boolean; shows: boolean };

/** A link that a column can become: to another file that comes in, or to a table that is there. */
export interface Offer {
  table: string;
  /** The column by which it is matched. */
  match: string;
  values: number;
  matching: number;
  missing: { text: string; line: number | null; near: string | null }[];
}

/** A file, or a sheet of one, that is to become a table. */
export interface ComingTable {
  file: string;
  /** The place of its sheet, where the file is a spreadsheet. */
  sheet: number;
  name: string;
  key: string;
  title: string;
  rows: number;
  delimiter: string;
  profiles: ExaminedTogether['files'][number]['profiles'];
  /** How many different values each column has; `null` where they are too many. */
  different: (number | null)[];
  columns: ComingColumn[];
  /** What each column could refer to, the best first. */
  offers: Offer[][];
  corrections: Correction[];
  extra: string[][];
  /** The column of another one whose different values it holds; `null` where it is a file. */
  distinctOf: { table: string; source: number } | null;
}

/** So many steps can be taken back. */
const mostSteps = 40;
/** So much of a column must be names elsewhere for the link to be taken by itself. */
const taken = 0.8;

/** Several files on their way in: what is proposed for them, what was decided, and what came of it. */
export class ComingTogether {
  tables = $state<ComingTable[]>([]);
  problems = $state.raw<Problem[]>([]);
  /** What the rows were found to be when they were looked through last. */
  looked = $state.raw<ImportedTogether | null>(null);
  /** Whether nothing was changed since. */
  isCurrent = $state(false);
  /** Files on their way to the server, with the part that has come. */
  sending = $state<{ name: string; part: number }[]>([]);
  reading = $state(false);
  /** Rows that have been looked through, or brought in, so far; `null` while nothing is under way. */
  under = $state<number | null>(null);
  forms = $state(true);
  readonly #there: readonly Table[];
  /** What was decided before each step, the last at the end; what each file holds stays as it is. */
  #before = $state.raw<ComingTable[][]>([]);
  #last: ComingTable[] = [];

  constructor(there: readonly Table[]) {
    this.#there = there;
  }

  /** The tables to which a column can refer: those that come in, and those that are there. */
  get referable(): {
    key: string;
    title: string;
    columns: readonly ImportColumn[] | Table['columns'];
  }[] {
    return [
      ...this.tables.map(({ key, title, columns }) => ({ key, title, columns })),
      ...this.#there,
    ];
  }

  titleOf(key: string): string {
    return this.referable.find((table) => table.key === key)?.title ?? key;
  }

  /** Hands files in, and looks them through with those that are there already. */
  async add(files: readonly File[]): Promise<void> {
    this.problems = [];
    const handed: { file: string; title: string }[] = [];
    for (const file of files) {
      this.sending.push({ name: file.name, part: 0 });
      const one = this.sending.at(-1);
      const sent = await sendFile(file, (part) => one && (one.part = part)).done;
      this.sending = this.sending.filter((other) => other !== one);
      if (sent === null) continue;
      if ('code' in sent) {
        this.problems = [...this.problems, { ...sent, message: `${file.name}: ${sent.message}` }];
      } else handed.push({ file: sent.file, title: titleFrom(file.name) });
    }
    if (handed.length > 0) await this.#examine(handed);
  }

  /** Takes rows that were pasted in, instead of those before. */
  async paste(text: string): Promise<void> {
    this.tables = [];
    await this.add([new File([text], `${say('Pasted rows')}.csv`, { type: 'text/csv' })]);
  }

  async #examine(fresh: readonly { file: string; title: string }[]): Promise<void> {
    this.reading = true;
    const known = this.tables.flatMap(({ file, sheet, title, distinctOf }) =>
      distinctOf ? [] : [{ file, sheet, title }],
    );
    const body = { files: [...known, ...fresh] };
    const called = await call(examinedTogether, '/api/imports/together/examine', { body });
    this.reading = false;
    if (called.ok) this.#take(called.value);
    else this.problems = called.problems;
  }

  #take({ files, links, order, matches, problems }: ExaminedTogether): void {
    // Made anew with each file, never shown.
    // eslint-disable-next-line svelte/prefer-svelte-reactivity
    const keys = new Set([
      ...this.#there.map(({ key }) => key),
      ...this.tables.map(({ key }) => key),
    ]);
    const tables = files.map((file): ComingTable => {
      const before = this.tables.find(
        (table) => table.file === file.file && table.sheet === file.sheet && !table.distinctOf,
      );
      if (before) return before;
      const key = keyFrom(file.title, keys);
      keys.add(key);
      const shows = naming(file);
      const columns = file.columns.map((column, i) => {
        return { ...column, included: true, shows: i === shows };
      });
      return { ...file, key, columns, offers: [], corrections: [], extra: [], distinctOf: null };
    });
    for (const [i, table] of tables.entries()) {
      const first = table.offers.length === 0;
      table.offers = table.columns.map((_, column) => [
        ...this.#ownTables(table, column),
        ...links
          .filter(({ from }) => from.file === i && from.column === column)
          .flatMap(({ to, ...link }): Offer[] => {
            const other = tables[to.file];
            const match = other?.columns[to.column]?.key;
            return other && match !== undefined ? [{ ...link, table: other.key, match }] : [];
          }),
        ...(matches[i]?.[column] ?? []).map(({ column: match, missing, ...offer }): Offer => {
          return {
            ...offer,
            match,
            missing: missing.map((text) => ({ text, line: null, near: null })),
          };
        }),
      ]);
      if (first) this.#propose(table, tables);
    }
    this.tables = order.flatMap((i) => {
      const own = tables[i];
      return own ? [...this.tables.filter((one) => one.distinctOf?.table === own.key), own] : [];
    });
    this.changed();
    this.problems = problems;
  }

  /** The tables that were made out of one column. */
  #ownTables(table: ComingTable, i: number): Offer[] {
    const source = table.columns[i]?.source;
    return this.tables.flatMap(({ key, distinctOf, rows, columns: [name] }) =>
      distinctOf?.table === table.key && distinctOf.source === source && name
        ? [{ table: key, match: name.key, values: rows, matching: rows, missing: [] }]
        : [],
    );
  }

  /** Takes what the data show; nothing that they speak against. */
  #propose(table: ComingTable, tables: readonly ComingTable[]): void {
    table.columns.forEach((column, i) => {
      const profile = table.profiles[i];
      const [best] = table.offers[i] ?? [];
      if (best && best.matching >= best.values * taken) refer(table, i, best, tables);
      else if (column.shows && profile && namesRows(profile)) {
        [column.unique, column.required] = [true, true];
      }
    });
  }

  /** Has a column refer to what its values name. */
  refer(table: ComingTable, i: number, offer: Offer): void {
    refer(table, i, offer, this.tables);
    this.changed();
  }

  /** Makes a table of its own out of the different values of a column, which refers to it from then on. */
  splitOff(table: ComingTable, i: number): void {
    const [column, profile, rows] = [table.columns[i], table.profiles[i], table.different[i]];
    if (!column || !profile || !rows || column.type.kind !== 'text') return;
    const { label, type, source } = column;
    const key = keyFrom(
      label,
      this.referable.map((other) => other.key),
    );
    const { file, sheet, delimiter } = table;
    const all = { filled: rows, empty: 0, unique: true };
    const name = { key: 'name', label: say('Name'), type: { ...type }, match: null, source: 0 };
    const marks = { required: true, unique: true, included: true, shows: true };
    const own: ComingTable = {
      ...{ file, sheet, delimiter, key, rows, name: say(`the column ${label}`), title: label },
      profiles: [{ ...profile, ...all }],
      columns: [{ ...name, ...marks, reading: column.reading }],
      ...{ different: [rows], offers: [[]], corrections: [], extra: [] },
      distinctOf: { table: table.key, source },
    };
    const at = this.tables.indexOf(table);
    this.tables = [...this.tables.slice(0, at), own, ...this.tables.slice(at)];
    const link = { table: key, match: name.key, values: rows, matching: rows, missing: [] };
    table.offers[i] = [link, ...(table.offers[i] ?? [])];
    this.refer(table, i, link);
  }

  /** What a column refers to as it stands, if the data were looked at for it. */
  offerOf(table: ComingTable, i: number): Offer | null {
    const column = table.columns[i];
    if (column?.type.kind !== 'reference') return null;
    const { table: to } = column.type;
    return (
      table.offers[i]?.find((offer) => offer.table === to && offer.match === column.match) ?? null
    );
  }

  /** Texts of a reference that name nothing, and were not put right. */
  unsettled(table: ComingTable, i: number): Offer['missing'] {
    const source = table.columns[i]?.source;
    const put = (text: string) =>
      (source !== undefined && insteadOf(table.corrections, source, text) !== undefined) ||
      this.isAdded(table, i, text);
    return (this.offerOf(table, i)?.missing ?? []).filter(({ text }) => !put(text));
  }

  /** Puts a text or a cell right; the others that were found wrong stay in sight. */
  correct(table: ComingTable, correction: Correction): void {
    table.corrections = withCorrection(table.corrections, correction);
    const { looked } = this;
    this.changed();
    this.looked = looked;
  }

  /** Adds a row to the other file that has a text as its name. */
  addTo(table: ComingTable, i: number, text: string): void {
    const [other, source] = this.#named(table, i);
    if (!other || source === undefined) return;
    other.extra = [...other.extra, other.columns.map((_, at) => (at === source ? text : ''))];
    this.changed();
  }

  isAdded(table: ComingTable, i: number, text: string): boolean {
    const [other, source] = this.#named(table, i);
    return source !== undefined && other?.extra.some((row) => row[source] === text) === true;
  }

  #named(table: ComingTable, i: number): [ComingTable | undefined, number | undefined] {
    const column = table.columns[i];
    const to = column?.type.kind === 'reference' ? column.type.table : '';
    const other = this.tables.find(({ key }) => key === to);
    return [other, other?.columns.find(({ key }) => key === column?.match)?.source];
  }

  /** Gives a table that has another title the key that goes with it, wherever it is referred to. */
  retitle(table: ComingTable): void {
    const others = this.referable.map(({ key }) => key).filter((key) => key !== table.key);
    const [before, key] = [table.key, keyFrom(table.title, others)];
    table.key = key;
    for (const { columns, offers, distinctOf } of this.tables) {
      if (distinctOf?.table === before) distinctOf.table = key;
      for (const offer of offers.flat()) if (offer.table === before) offer.table = key;
      for (const { type } of columns) {
        if (type.kind === 'reference' && type.table === before) type.table = key;
      }
    }
    this.changed();
  }

  /** Leaves a table out, with those that were made out of its columns; what referred to them is text again. */
  leave(table: ComingTable): void {
    const isGone = (one: ComingTable) => one === table || one.distinctOf?.table === table.key;
    const gone = this.tables.filter(isGone).map(({ key }) => key);
    this.tables = this.tables.filter((one) => !isGone(one));
    for (const { columns, profiles } of this.tables) {
      for (const [i, column] of columns.entries()) {
        if (column.type.kind !== 'reference' || !gone.includes(column.type.table)) continue;
        column.type = profiles[i]?.proposed ?? { kind: 'text', format: 'plain', length: 255 };
        column.match = null;
      }
    }
    this.changed();
  }

  /** Notes a step that can be taken back. */
  changed(): void {
    if (this.#last.length > 0) this.#before = [...this.#before.slice(1 - mostSteps), this.#last];
    this.#last = $state.snapshot(this.tables) as ComingTable[];
    this.#forget();
  }

  /** What was found of the rows holds no longer. */
  #forget(): void {
    this.looked = null;
    this.isCurrent = false;
    this.problems = [];
  }

  get canUndo(): boolean {
    return this.#before.length > 0;
  }

  /** Takes the last step back. */
  undo(): void {
    const before = this.#before.at(-1);
    if (!before) return;
    this.#before = this.#before.slice(0, -1);
    this.#last = before;
    this.tables = structuredClone(before);
    this.#forget();
  }

  /** Looks all rows through, or brings them in; gives what came in. */
  async bring(mode: 'check' | 'refuse' | 'leave_out'): Promise<ImportedTogether | null> {
    if (this.under !== null) return null;
    this.problems = [];
    this.under = 0;
    const called = await callResult(
      importedTogether,
      '/api/imports/together',
      {
        tables: this.tables.map(wished),
        check: mode === 'check',
        rejected: mode === 'leave_out' ? 'leave_out' : 'refuse',
        forms: this.forms,
      },
      (rows) => (this.under = rows),
    );
    this.under = null;
    if (called.ok && mode !== 'check') return called.value;
    const looked = importedTogether.safeParse(called.ok ? called.value : called.body.result);
    // What was found before holds no better where nothing was looked at.
    if (looked.success) [this.looked, this.isCurrent] = [looked.data, true];
    else if (!called.ok) this.problems = called.problems;
    return null;
  }
}

/** Has a column refer to what its values name; what it names becomes unique, where it can. */
function refer(
  table: ComingTable,
  i: number,
  { table: to, match }: Offer,
  among: readonly ComingTable[],
): void {
  const column = table.columns[i];
  if (!column) return;
  Object.assign(column, { type: { kind: 'reference', table: to }, match, unique: false });
  const other = among.find(({ key }) => key === to);
  const at = other?.columns.findIndex(({ key }) => key === match) ?? -1;
  const named = other?.columns[at];
  const profile = other?.profiles[at];
  if (named && profile?.unique) [named.unique, named.required] = [true, profile.empty === 0];
}

function wished(table: ComingTable) {
  const { file, sheet, key, title, delimiter, columns, corrections, extra, distinctOf } = table;
  const included = columns.filter((column) => column.included);
  const shown = included.filter(({ shows }) => shows);
  return {
    ...{ file, sheet, key, title: title.trim(), delimiter, cells: columns.length, extra },
    display: (shown.length > 0 ? shown : included.slice(0, 1)).map((column) => column.key),
    columns: included.map(({ included: _, shows: __, ...column }) => column),
    corrections,
    ...(distinctOf ? { distinctOf } : {}),
  };
}

/** Whether a column can name the rows of its file: a text that each row has, and no two the same. */
function namesRows({ proposed, unique, empty, filled }: ColumnProfile): boolean {
  return proposed.kind === 'text' && unique && empty === 0 && filled > 0;
}

/** The column of a file that shows its records: the first that names each row, or the first of all. */
function naming({ profiles }: { profiles: readonly ColumnProfile[] }): number {
  return Math.max(0, profiles.findIndex(namesRows));
}

/** The title of the table that a file becomes: `stage_towns.csv` → `Stage towns`. */
function titleFrom(name: string): string {
  const plain = name.replace(/\.[a-z]{2,5}$/i, '').replace(/[-_\s]+/g, '_');
  return labelFrom(plain) || name;
}
