import { z } from 'zod';
import { problem, type Problem } from '../problems';
import { num, plural, say, spoken } from '../words/say';

/** Kinds of files that a column can be kept to. */
export const fileKinds = ['picture', 'document', 'sheet', 'sound', 'film', 'archive'] as const;
export type FileKind = (typeof fileKinds)[number];

/** The kinds as people read them. */
export const fileKindNames: Record<FileKind, string> = spoken(() => ({
  picture: say('pictures'),
  document: say('documents'),
  sheet: say('spreadsheets'),
  sound: say('sound'),
  film: say('film'),
  archive: say('archives'),
}));

/** The largest file that is taken at all, in bytes (1 GB). */
export const largestFile = 1e9;
/** What a column takes where it is not said otherwise, in bytes. */
export const usualLargest = 20e6;
/** At most so many files in one value. */
export const mostFiles = 50;
/** The longest name of a file, in characters. */
export const longestFileName = 200;
/** A small picture beside a file has at most so many bytes. */
export const largestSmall = 200_000;
/** Pictures with more points than this are not taken: nothing could show them. */
export const mostPoints = 100_000_000;

/** A column's files: of which kinds (of any, where none is named), how large, in bytes, and how many. */
export const filesTypeSchema = z.strictObject({
  kind: z.literal('files'),
  kinds: z.array(z.enum(fileKinds)).max(fileKinds.length).default([]),
  largest: z.number().int().min(1).max(largestFile).default(usualLargest),
  most: z.number().int().min(1).max(mostFiles).default(1),
});
export type FilesType = z.infer<typeof filesTypeSchema>;

/** The name of a stored file: unguessable, and its only name in addresses. */
export const fileIdSchema = z.string().regex(/^[0-9a-f]{32}$/);

/** A file as a value names it; `type` is its media type by content, `small` the file of a small picture of it. */
export const keptFileSchema = z.strictObject({
  file: fileIdSchema,
  name: z.string().min(1).max(longestFileName),
  type: z.string().max(100),
  size: z.number().int().min(1).max(largestFile),
  small: fileIdSchema.nullable().default(null),
});
export type KeptFile = z.infer<typeof keptFileSchema>;

/** Media types of spreadsheets; every other type belongs to its kind by its first part, or is a document. */
const sheetTypes: ReadonlySet<string> = new Set([
  'text/csv',
  'text/tab-separated-values',
  'application/vnd.oasis.opendocument.spreadsheet',
  'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
]);
const documentTypes: ReadonlySet<string> = new Set([
  'text/plain',
  'application/pdf',
  'application/rtf',
  'application/msword',
  'application/vnd.ms-powerpoint',
  'application/vnd.oasis.opendocument.text',
  'application/vnd.oasis.opendocument.presentation',
  'application/vnd.openxmlformats-officedocument.wordprocessingml.document',
  'application/vnd.openxmlformats-officedocument.presentationml.presentation',
  'application/epub+zip',
]);
const archiveTypes: ReadonlySet<string> = new Set([
  'application/zip',
  'application/gzip',
  'application/x-tar',
  'application/x-7z-compressed',
  'application/zstd',
]);

/** Pictures that every browser shows and that can run nothing. */
export const shownPictures: ReadonlySet<string> = new Set([
  'image/jpeg',
  'image/png',
  'image/gif',
  'image/webp',
  'image/avif',
]);
const otherPictures: ReadonlySet<string> = new Set([
  'image/heic',
  'image/heif',
  'image/tiff',
  'image/bmp',
]);

/** The kind of a file by its media type (RFC 6838); `null` for what belongs to none. */
export function kindOfFile(type: string): FileKind | null {
  if (shownPictures.has(type) || otherPictures.has(type)) return 'picture';
  if (sheetTypes.has(type)) return 'sheet';
  if (documentTypes.has(type)) return 'document';
  if (archiveTypes.has(type)) return 'archive';
  if (type.startsWith('audio/')) return 'sound';
  return type.startsWith('video/') ? 'film' : null;
}

/** Whether a file of this media type may stand in a column. */
export function fitsKinds({ kinds }: Pick<FilesType, 'kinds'>, type: string): boolean {
  const kind = kindOfFile(type);
  return kinds.length === 0 || (kind !== null && kinds.includes(kind));
}

/** Kinds in one line: `pictures, documents`; nothing where any are meant. */
export function kindsText(kinds: readonly FileKind[]): string {
  return kinds.map((kind) => fileKindNames[kind]).join(', ');
}

/** What is wrong with a file in a column: that it is too large, or of a kind that the column does not hold. */
export function misfitOf(
  type: FilesType,
  label: string,
  { name, size, type: media }: Pick<KeptFile, 'name' | 'size' | 'type'>,
): Problem | null {
  if (size > type.largest) {
    return problem('file_larger', { label, name, limit: sizeText(type.largest) });
  }
  if (fitsKinds(type, media)) return null;
  return problem('file_kind', { label, name, kinds: kindsText(type.kinds) });
}

/**
 * What is wrong with a value, where files in it are new: there are too many, or a new one does not fit. Those
 * that stood there before stay, whatever the column takes now.
 */
export function misfitsIn(
  type: FilesType,
  label: string,
  files: readonly KeptFile[],
  isNew: (file: KeptFile) => boolean,
): Problem | null {
  const fresh = files.filter(isNew);
  if (fresh.length > 0 && files.length > type.most) {
    return problem('too_many_files', { label, limit: type.most });
  }
  for (const file of fresh) {
    const found = misfitOf(type, label, file);
    if (found) return found;
  }
  return null;
}

/** The stored files that one of a value names: itself, and its small picture. */
export function idsOfFile({ file, small }: KeptFile): string[] {
  return small === null ? [file] : [file, small];
}

/** What a browser's dialog for files offers, as the `accept` of an input. */
export function acceptOf({ kinds }: Pick<FilesType, 'kinds'>): string {
  const named: Record<FileKind, readonly string[]> = {
    picture: ['image/*'],
    document: [...documentTypes],
    sheet: [...sheetTypes, '.csv'],
    sound: ['audio/*'],
    film: ['video/*'],
    archive: [...archiveTypes],
  };
  return kinds.flatMap((kind) => named[kind]).join(',');
}

/**
 * A file's name as it is kept: without its folders, without signs that show nothing or turn the direction of
 * the text, in normal form, at most so long, with its ending.
 */
export function fileName(given: string): string {
  const last = given.normalize('NFC').split(/[/\\]/).at(-1) ?? '';
  const plain = last
    .replace(/[\p{Cc}\p{Cf}\p{Cs}\p{Zl}\p{Zp}]/gu, '')
    .replace(/[<>:"|?*]/g, '_')
    .trim()
    .replace(/^\.+|\.+$/g, '');
  if (plain === '') return 'file';
  const letters = [...plain];
  if (plain.length <= longestFileName) return plain;
  const ending = /\.[A-Za-z0-9]{1,10}$/.exec(plain)?.[0] ?? '';
  let stem = '';
  for (const letter of letters) {
    if (stem.length + letter.length + ending.length > longestFileName) break;
    stem += letter;
  }
  return stem + ending;
}

/** A number of bytes as people read it: `1.4 MB`. */
export function sizeText(bytes: number): string {
  const shown = (unit: number) => {
    const size = bytes / unit;
    return num(size < 10 ? Math.round(size * 10) / 10 : Math.round(size));
  };
  if (bytes < 1e3) return plural(bytes, ['# byte', '# bytes']);
  if (bytes < 1e6) return say(`${shown(1e3)} kB`);
  return bytes < 1e9 ? say(`${shown(1e6)} MB`) : say(`${shown(1e9)} GB`);
}

/** Files in one line: `hall.jpg, seats.pdf`; several as their number. */
export function filesText(files: readonly Pick<KeptFile, 'name'>[]): string {
  const [first, second, third] = files;
  if (third) return plural(files.length, ['# file', '# files']);
  return [first, second].flatMap((file) => (file ? [file.name] : [])).join(', ');
}
