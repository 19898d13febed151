import {
  examinedTogether,
  importedTogether,
  type ExaminedTogether,
  type ImportedTogether,
} from '$lib/core/contract/answers';
import type { ImportColumn } from '$lib/core/formats/csv-rows';
import type { Problem } from '$lib/core/problems';
import { keyFrom, labelFrom, type Table } from '$lib/core/table/definition';
import { call, callResult } from '$lib/ui/shared/api';
import { sendFile } from '$lib/ui/shared/files';

/** A column of a file as it is to come in. */
export type ComingColumn = ImportColumn & { included: boolean };

/** A link that a column can become: to another file that comes in, or to a table that is there. */
export interface Offer {
  table: string;
  /** The column by which it is matched. */
  match: string;
  values: number;
  matching: number;
  missing: { text: string; line: number | null; near: string | null }[];
}

/** What is written instead of a text of a file: on one line, or wherever it stands in its column. */
export interface Correction {
  source: number;
  given: string;
  instead: string;
  line?: number;
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
  columns: ComingColumn[];
  /** What each column could refer to, the best first. */
  offers: Offer[][];
  corrections: Correction[];
  extra: string[][];
}

/** So much of a column must be names elsewhere for the link to be taken by itself. */
const taken = 0.8;

/** Several files on their way in: what is proposed for them, what was decided, and what came of it. */
export class ComingTogether {
  tables = $state<ComingTable[]>([]);
  problems = $state.raw<Problem[]>([]);
  /** What the rows were found to be, as long as nothing was changed since. */
  looked = $state.raw<ImportedTogether | null>(null);
  /** Files on their way to the server, with the part that has come. */
  sending = $state<{ name: string; part: number }[]>([]);
  reading = $state(false);
  /** Rows that have been looked through, or brought in, so far; `null` while nothing is under way. */
  under = $state<number | null>(null);
  forms = $state(true);
  readonly #there: readonly Table[];

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

  async #examine(fresh: readonly { file: string; title: string }[]): Promise<void> {
    this.reading = true;
    const known = this.tables.map(({ file, sheet, title }) => ({ file, sheet, title }));
    const body = { files: [...known, ...fresh] };
    const called = await call(examinedTogether, '/api/imports/together/examine', { body });
    this.reading = false;
    if (called.ok) this.#take(called.value);
    else this.problems = called.problems;
  }

  #take({ files, links, order, matches }: ExaminedTogether): void {
    // Made anew with each file, never shown.
    // eslint-disable-next-line svelte/prefer-svelte-reactivity
    const keys = new Set([
      ...this.#there.map(({ key }) => key),
      ...this.tables.map(({ key }) => key),
    ]);
    const tables = files.map((file): ComingTable => {
      const before = this.tables.find(
        (table) => table.file === file.file && table.sheet === file.sheet,
      );
      if (before) return before;
      const key = keyFrom(file.title, keys);
      keys.add(key);
      const columns = file.columns.map((column) => ({ ...column, included: true }));
      return { ...file, key, columns, offers: [], corrections: [], extra: [] };
    });
    for (const [i, table] of tables.entries()) {
      const first = table.offers.length === 0;
      table.offers = table.columns.map((_, column) => [
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
    this.tables = order.flatMap((i) => tables[i] ?? []);
    this.changed();
  }

  /** Takes what the data show; nothing that they speak against. */
  #propose(table: ComingTable, tables: readonly ComingTable[]): void {
    table.columns.forEach((column, i) => {
      const profile = table.profiles[i];
      const [best] = table.offers[i] ?? [];
      if (best && best.matching >= best.values * taken) this.refer(table, i, best, tables);
      else if (i === 0 && column.type.kind === 'text' && profile?.unique && profile.empty === 0) {
        [column.unique, column.required] = [true, true];
      }
    });
  }

  /** Has a column refer to what its values name; what it names becomes unique, where it can. */
  refer(
    table: ComingTable,
    i: number,
    { table: to, match }: Offer,
    among: readonly ComingTable[] = this.tables,
  ): void {
    const column = table.columns[i];
    if (!column) return;
    Object.assign(column, { type: { kind: 'reference', table: to }, match, unique: false });
    const other = among.find(({ key }) => key === to);
    const at = other?.columns.findIndex(({ key }) => key === match) ?? -1;
    const named = other?.columns[at];
    const profile = other?.profiles[at];
    if (named && profile?.unique) [named.unique, named.required] = [true, profile.empty === 0];
    this.changed();
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
      table.corrections.some((one) => one.source === source && one.given === text) ||
      this.isAdded(table, i, text);
    return (this.offerOf(table, i)?.missing ?? []).filter(({ text }) => !put(text));
  }

  correct(table: ComingTable, correction: Correction): void {
    const { source, given, line } = correction;
    table.corrections = [
      ...table.corrections.filter(
        (one) => one.source !== source || one.given !== given || one.line !== line,
      ),
      ...(correction.instead === given ? [] : [correction]),
    ];
    this.changed();
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

  leave(table: ComingTable): void {
    this.tables = this.tables.filter((other) => other !== table);
    for (const { columns } of this.tables) {
      for (const column of columns) {
        if (column.type.kind !== 'reference' || column.type.table !== table.key) continue;
        column.type = { kind: 'text', format: 'plain', length: 255 };
        column.match = null;
      }
    }
    this.changed();
  }

  /** What was found of the rows holds no longer. */
  changed(): void {
    this.looked = null;
    this.problems = [];
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
    if (called.ok) this.looked = called.value;
    else {
      const rejected = importedTogether.safeParse(called.body.result);
      if (rejected.success) this.looked = rejected.data;
      else this.problems = called.problems;
    }
    return null;
  }
}

function wished({ file, sheet, key, title, delimiter, columns, corrections, extra }: ComingTable) {
  const included = columns.filter((column) => column.included);
  return {
    ...{ file, sheet, key, title: title.trim(), delimiter, cells: columns.length, extra },
    display: included.slice(0, 1).map((column) => column.key),
    columns: included.map(({ included: _, ...column }) => column),
    corrections,
  };
}

/** The title of the table that a file becomes: `stage_towns.csv` → `Stage towns`. */
function titleFrom(name: string): string {
  const plain = name.replace(/\.[a-z]{2,5}$/i, '').replace(/[-_\s]+/g, '_');
  return labelFrom(plain) || name;
}
