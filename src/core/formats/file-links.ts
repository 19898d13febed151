import { closest, distance } from 'fastest-levenshtein';
import type { ColumnProfile } from './csv-profile';

/** A value of a column, with the line on which it stands first. */
export interface FileValue {
  text: string;
  line: number;
}

/** A file that is to come in: what its columns hold. */
export interface ExaminedFile {
  /** What a record of it is called: the title of its table. */
  title: string;
  profiles: readonly ColumnProfile[];
  /** The different values of each column, in the order in which they come; `null` where they are too many. */
  values: readonly (readonly FileValue[] | null)[];
}

/** A column of a file, both counted from 0. */
export interface FilePlace {
  file: number;
  column: number;
}

/** That the values of one column are names in another. */
export interface FileLink {
  from: FilePlace;
  to: FilePlace;
  /** Different values, and how many of them are names there. */
  values: number;
  matching: number;
  /** Some of the others, each with the name that it is most like. */
  missing: (FileValue & { near: string | null })[];
}

/** A column with more different values than this is not matched with others. */
export const mostValues = 100_000;
/** So much of a column must be names elsewhere for that to be proposed. */
const worthTelling = 0.6;
const sampleSize = 200;
const mostMissing = 50;
/** Among more names than these none is looked for that is like another. */
const mostLike = 20_000;

/**
 * Which columns of several files hold names that stand in a column of another one (or of the same, as a town and
 * the town that it belongs to), the best for each column first. Numbers are names only where the
 * column is called after the other file (`town_id`): any numbers would match.
 */
export function linksAmong(files: readonly ExaminedFile[]): FileLink[] {
  const keys = files.flatMap(keysOf);
  const links: FileLink[] = [];
  for (const [file, { profiles, values }] of files.entries()) {
    for (const [column, profile] of profiles.entries()) {
      const own = values[column];
      if (!own || own.length < 2) continue;
      const from = { file, column };
      const found = keys.flatMap((key) => {
        const same = key.file === file && key.column === column;
        const backwards = profile.unique && !isNamedBy(from, own.length, key, keys);
        return same || backwards || !mayName(profile, key) ? [] : (linkOf(from, own, key) ?? []);
      });
      const calledAfter = (link: FileLink) =>
        isCalledAfter(profile.name, files[link.to.file]?.title ?? '') ? 1 : 0;
      found.sort(
        (a, b) =>
          b.matching - a.matching || calledAfter(b) - calledAfter(a) || a.to.column - b.to.column,
      );
      links.push(...found);
    }
  }
  return links;
}

/** A column whose values are all different, by their folded texts. */
interface Key extends FilePlace {
  title: string;
  whole: boolean;
  names: ReadonlySet<string>;
  /** The same as they are written. */
  texts: readonly string[];
}

function keysOf({ title, profiles, values }: ExaminedFile, file: number): Key[] {
  return profiles.flatMap((profile, column) => {
    const own = values[column];
    const { kind } = profile.proposed;
    if (!own || !profile.unique || !['text', 'whole'].includes(kind)) return [];
    const names = new Set(own.map(({ text }) => folded(text)));
    const texts = own.map(({ text }) => text);
    return [{ file, column, title, whole: kind === 'whole', names, texts }];
  });
}

/** Whether values of a column can be names in another. */
function mayName({ name, proposed }: ColumnProfile, key: Key): boolean {
  if (key.whole) return proposed.kind === 'whole' && isCalledAfter(name, key.title);
  return proposed.kind === 'text';
}

/**
 * Whether a column whose own values are all different can be named by a key, and not the other way round: keys
 * stand in the first such column of their file, and the file with more of them is the one that is referred to.
 */
function isNamedBy(from: FilePlace, values: number, key: Key, keys: readonly Key[]): boolean {
  const first = (file: number) => keys.find((other) => other.file === file)?.column;
  if (first(key.file) !== key.column) return false;
  if (key.file === from.file) return values < key.names.size;
  if (first(from.file) !== from.column) return true;
  return values < key.names.size || (values === key.names.size && from.file > key.file);
}

function linkOf(from: FilePlace, own: readonly FileValue[], key: Key): FileLink | null {
  const sample = own.slice(0, sampleSize);
  const there = ({ text }: FileValue) => key.names.has(folded(text));
  if (sample.filter(there).length < sample.length * worthTelling) return null;
  const missing = own.filter((value) => !there(value));
  const matching = own.length - missing.length;
  if (matching < own.length * worthTelling) return null;
  const to = { file: key.file, column: key.column };
  const told = missing
    .slice(0, mostMissing)
    .map((value) => ({ ...value, near: nearTo(value, key) }));
  return { from, to, values: own.length, matching, missing: told };
}

/** The name that a text is most like, if it is like any: a letter or two wrong. */
function nearTo({ text }: FileValue, { texts }: Key): string | null {
  if (texts.length === 0 || texts.length > mostLike) return null;
  const near = closest(text, texts as string[]);
  return distance(folded(text), folded(near)) <= Math.max(1, text.length / 4) ? near : null;
}

/** Whether a column is called after a table: `Town`, `town_id` and `Town no.` after `Towns`. */
function isCalledAfter(name: string, title: string): boolean {
  const plain = folded(name).replace(/[\s_.-]*(id|no|nr|number|key|code)[\s_.]*$/, '');
  const whole = folded(title);
  return (
    plain !== '' && [whole, whole.replace(/s$/, ''), whole.replace(/ies$/, 'y')].includes(plain)
  );
}

/** A text by which others are equal that differ in case or accents only, much as the database has it. */
export function folded(text: string): string {
  return text.trim().normalize('NFKD').replace(/\p{M}/gu, '').toLowerCase().replace(/ß/g, 'ss');
}

/** Files by who refers to whom: each after those it refers to; what goes round in a circle as it comes. */
export function referredFirst(
  count: number,
  links: readonly Pick<FileLink, 'from' | 'to'>[],
): number[] {
  const order: number[] = [];
  const seen = new Set<number>();
  const visit = (file: number) => {
    if (seen.has(file)) return;
    seen.add(file);
    for (const { from, to } of links) if (from.file === file) visit(to.file);
    order.push(file);
  };
  for (let file = 0; file < count; file++) visit(file);
  return order;
}
