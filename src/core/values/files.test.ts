import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { toFeel, kindOfType } from '../formula/convert';
import { toText } from '../formula/feel';
import { formatValue } from './format';
import {
  acceptOf,
  fileName,
  filesText,
  fitsKinds,
  keptFileSchema,
  kindOfFile,
  misfitsIn,
  longestFileName,
  sizeText,
  type FilesType,
} from './files';
import { checkValue, parseText } from './parse';
import { filesIn, type Value } from './types';

const id = (n: number) => n.toString(16).padStart(32, '0');
const file = (n: number, more: object = {}) => ({
  ...{ file: id(n), name: `${n}.png`, type: 'image/png', size: 1000, small: null },
  ...more,
});
const type = (more: Partial<FilesType> = {}): FilesType => {
  return { kind: 'files', kinds: ['picture'], largest: 2000, most: 2, ...more };
};

describe('the name of a file', () => {
  it.each([
    ['hall.jpg', 'hall.jpg'],
    ['C:\\pictures\\hall.jpg', 'hall.jpg'],
    ['../../etc/passwd', 'passwd'],
    ['a/b/', 'file'],
    ['..', 'file'],
    ['', 'file'],
    ['bad\u202Egnp.exe', 'badgnp.exe'],
    ['tab\tnew\nline.txt', 'tabnewline.txt'],
    ['a<b>:"c|d?*.txt', 'a_b___c_d__.txt'],
    ['Mu\u0308ller.pdf', 'Müller.pdf'],
  ])('is kept of %j as %j', (given, kept) => {
    expect(fileName(given)).toBe(kept);
  });

  it('keeps its ending, however long it is, and cuts no sign in two', () => {
    const long = fileName(`${'🎻'.repeat(300)}.jpeg`);
    expect(long.length).toBeLessThanOrEqual(longestFileName);
    expect(long.endsWith('🎻.jpeg')).toBe(true);
  });

  it('is one that can be kept, whatever was given, and stays as it is', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary', maxLength: 400 }), (given) => {
        const kept = fileName(given);
        expect(keptFileSchema.safeParse(file(1, { name: kept })).success).toBe(true);
        expect(kept).not.toMatch(/[/\\\p{Cc}\p{Cs}]/u);
        expect(fileName(kept)).toBe(kept);
      }),
    );
  });
});

describe('the kind of a file', () => {
  it.each([
    ['image/webp', 'picture'],
    ['application/pdf', 'document'],
    ['text/csv', 'sheet'],
    ['audio/flac', 'sound'],
    ['video/mp4', 'film'],
    ['application/zip', 'archive'],
    // What can run is of none.
    ['image/svg+xml', null],
    ['text/html', null],
    ['application/xml', null],
    ['application/octet-stream', null],
  ])('of %s is %s', (media, kind) => {
    expect(kindOfFile(media)).toBe(kind);
    expect(fitsKinds({ kinds: [] }, media)).toBe(true);
    expect(fitsKinds({ kinds: ['picture', 'sound'] }, media)).toBe(
      kind === 'picture' || kind === 'sound',
    );
  });

  it('is what a dialog for files offers', () => {
    expect(acceptOf({ kinds: ['picture'] })).toBe('image/*');
    expect(acceptOf({ kinds: [] })).toBe('');
  });
});

describe('files as a value', () => {
  it('are kept in one form, each once', () => {
    const given = [file(1), file(1), { ...file(2), small: undefined }];
    expect(checkValue(type(), given, 'Views')).toEqual({ value: [file(1), file(2)] });
    expect(checkValue(type(), [], 'Views')).toEqual({ value: null });
    const named = [file(1, { name: '../\u202Egnp.exe' })];
    expect(checkValue(type(), named, 'Views')).toMatchObject({ value: [{ name: 'gnp.exe' }] });
    expect(parseText(type(), JSON.stringify([file(1)]), 'Views')).toEqual({ value: [file(1)] });
  });

  it.each([
    ['no list', 'hall.jpg', 'not_files'],
    ['a name with a path', [file(1, { file: '../1' })], 'not_files'],
    ['what files have not', [file(1, { more: 1 })], 'not_files'],
    ['no bytes', [file(1, { size: 0 })], 'not_files'],
  ])('are refused with %s', (_, given, code) => {
    expect(checkValue(type(), given, 'Views')).toMatchObject({ problem: { code } });
  });

  it.each([
    ['too many', [file(1), file(2), file(3)], 'too_many_files'],
    ['a large one', [file(1, { size: 2001 })], 'file_larger'],
    ['one of another kind', [file(1, { type: 'application/pdf' })], 'file_kind'],
  ])('are not taken with %s that is new; those that stood there stay', (_, given, code) => {
    const misfit = (isNew: boolean) => misfitsIn(type(), 'Views', given, () => isNew)?.code;
    expect([misfit(true), misfit(false)]).toEqual([code, undefined]);
  });

  it('are shown by their names, and known to formulas by name, type and size', () => {
    const value = [file(1), file(2)] as unknown as Value;
    const reader = { language: 'en', locale: 'en-GB', zone: 'UTC' } as const;
    expect(formatValue(type(), value, reader)).toBe('1.png, 2.png');
    expect(filesText([file(1), file(2), file(3)])).toBe('3 files');
    expect(filesIn(value)).toEqual([file(1), file(2)]);
    expect(kindOfType(type()).is).toBe('list');
    expect(toText(toFeel(type(), value))).toBe(
      '[{name: "1.png", type: "image/png", size: 1000}, {name: "2.png", type: "image/png", size: 1000}]',
    );
  });
});

it.each([
  [1, '1 byte'],
  [999, '999 bytes'],
  [1400, '1.4 kB'],
  [20_000_000, '20 MB'],
  [1_000_000_000, '1 GB'],
])('%d bytes are read as %s', (bytes, text) => {
  expect(sizeText(bytes)).toBe(text);
});
