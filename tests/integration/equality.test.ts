import { beforeAll, describe, expect, it } from 'vitest';
import { loadTables, makeTable, tableFrom } from '../../src/server/catalog/tables';
import { equalityOf } from '../../src/server/records/equality';
import { readChoices } from '../../src/server/records/choices';
import { checkImport, openImport, type ImportDefinition } from '../../src/server/records/import';
import { readNamed } from '../../src/server/records/named';
import { addRecord } from '../../src/server/records/write';
import { column, lookupOf, table } from '../support/definitions';
import { upload, useDatabase } from '../support/house';

const held = useDatabase('t_equal');
const names = [
  "Mary O'Hara",
  "L'épi d'or",
  'Straße',
  'Müller',
  'Åse Ødegård',
  'Nguyễn Văn',
  'Łódź',
];

beforeAll(async () => {
  await makeTable(held.db, table('place', [column('name', { unique: true })]), 'test');
  await makeTable(
    held.db,
    {
      ...table('indexed', [column('name')]),
      indexes: [{ kind: 'search', columns: ['name'] }],
    },
    'test',
  );
  await held.db.knex.raw('alter table ??.?? add fulltext (??)', [
    held.db.records,
    'indexed',
    'name',
  ]);
  const tables = await loadTables(held.db);
  for (const key of ['place', 'indexed']) {
    for (const name of names)
      await addRecord(held.db, tables, tableFrom(tables, key), { name }, 'test');
  }
});

describe('R9 what is equal, the database says', () => {
  it.each([
    ['Strasse', 'Straße'],
    ['STRASSE', 'Straße'],
    ['muller ', 'Müller'],
    ['MÜLLER', 'Müller'],
    ['ase odegard', 'Åse Ødegård'],
    ['nguyen van', 'Nguyễn Văn'],
  ])('a typed key %j names %j exactly where the database holds them equal', async (key, name) => {
    const tables = await loadTables(held.db);
    const [[row]] = await held.db.knex.raw('select ? = ? collate utf8mb4_uca1400_ai_ci as same', [
      key.trim(),
      name,
    ]);
    for (const typedBy of ['name', null]) {
      const choices = lookupOf('place', { typedBy });
      const wish = { choices, given: {}, keys: [key] };
      const found = await readNamed(held.db, held.db.knex, tables, wish);
      const shown = found.get(key);
      const named = shown && shown !== 'ambiguous' ? shown.shown[0] : null;
      expect(named, String(typedBy)).toBe(Number(row.same) === 1 ? name : null);
    }
  });

  it('agrees with the database on every pair of some texts', async () => {
    const texts = [
      ...names,
      'Strasse',
      'muller',
      'MULLER',
      'a',
      'A',
      'ä',
      'ae',
      'æ',
      'ß',
      'ss',
      '',
      "o'hara",
      'ohara',
    ];
    const equality = await equalityOf(held.db.knex, texts);
    for (const a of texts) {
      for (const b of texts) {
        const [[row]] = await held.db.knex.raw(
          'select cast(? as char) collate utf8mb4_uca1400_ai_ci = ? as same',
          [a, b],
        );
        expect(equality.key(a) === equality.key(b), `${a} ${b}`).toBe(Number(row.same) === 1);
      }
    }
  });
});

describe('R9 words are cut alike where they are kept and where they are asked for', () => {
  it.each([
    ["o'hara", "Mary O'Hara"],
    ['hara', "Mary O'Hara"],
    ['o’hara', "Mary O'Hara"],
    ['épi', "L'épi d'or"],
    ["l'épi", "L'épi d'or"],
    ['or', "L'épi d'or"],
    ['vă', 'Nguyễn Văn'],
  ])('%s finds %s, with an index of words and without', async (search, name) => {
    const tables = await loadTables(held.db);
    for (const key of ['place', 'indexed']) {
      const wish = { choices: lookupOf(key), given: {}, current: null, search };
      const { choices } = await readChoices(held.db, held.db.knex, tables, wish);
      expect(
        choices.map(({ shown }) => shown[0]),
        key,
      ).toContain(name);
    }
  });
});

describe('R9 a file is checked for what the database would refuse', () => {
  const check = async (text: string, existing: boolean) => {
    const definition: ImportDefinition = {
      target: existing
        ? { kind: 'existing', table: 'place' }
        : { kind: 'new', key: 'fresh', title: 'Fresh', display: ['name'] },
      columns: [
        {
          ...column('name', { unique: true }),
          source: 0,
          reading: { decimal: '.', dates: 'ymd' },
          match: null,
        },
      ],
      delimiter: ',',
      cells: 1,
      rejected: 'refuse',
      corrections: [],
    };
    const id = await openImport(held.db, definition, 'test');
    const { rejections } = await checkImport(held.db, id, upload(text));
    return rejections.map(({ line, problem }) => `${line} ${problem.code}`);
  };

  it('texts that are the same to it stand once, each with its line', async () => {
    expect(await check('name\nMoller\nmöller\nStraße\nSTRASSE\nOther\n', false)).toEqual([
      '3 twice_in_file',
      '5 twice_in_file',
    ]);
  });

  it('and none is there already', async () => {
    expect(await check('name\nMuller\nNew one\nstrasse\n', true)).toEqual([
      '2 not_unique_there',
      '4 not_unique_there',
    ]);
  });
});
