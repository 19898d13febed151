import { demoQuestions, reworded } from './questions';
import { randomBytes } from 'node:crypto';
import { Readable } from 'node:stream';
import { hallPicture } from './hall-picture';
import { Chance, namedTowns } from './names';
import { keyFrom } from '../src/core/table/definition';
import { receiveFile } from '../src/server/files/hand-in';
import { loadTables, tableFrom } from '../src/server/catalog/tables';
import type { Database } from '../src/server/database/connection';
import { tableSql } from '../src/server/database/ddl';
import { rowsOf } from '../src/server/database/rows';
import { writeUses } from '../src/server/records/form-uses';
import { saveEntry } from '../src/server/records/save';
import { changeRecord } from '../src/server/records/write';
import type { KeptRow, Value } from '../src/core/values/types';

const form = 'hall_check';
const people = ['Brida Quist', 'Rurik Velden', 'Hesper Nairne'];
const halls = ['Assembly Room', 'Corn Exchange', 'Old School', 'Guildhall', 'Weavers’ Hall'];
const stages = ['Castle Green', 'Mill Meadow', 'Harbour Square', 'Quarry'];
const remarks = [
  'Ramp is steep when wet; bring two people.',
  'Side door sticks; ask for the long key.',
  'Radiator beside the stage cannot be turned off.',
  'Good light, little room to turn.',
];

/** Fills in the sheets that are missing, the older ones before some questions were reworded. */
export async function loadHallChecks(db: Database, sheets: number): Promise<void> {
  const before = Math.round(sheets * 0.6);
  const towns = await idsByName(db, 'town');
  const ensembles = [...(await idsByName(db, 'ensemble')).values()];
  const photographed = new Set<Record<string, Value>>();
  const filled = Array.from({ length: sheets }, (_, i) => {
    const chance = new Chance(`hall check ${i}`);
    const [town = ''] = chance.pick(namedTowns);
    const values: Record<string, Value> = { ...sheetOf(chance, i >= before) };
    values.town = towns.get(town) ?? null;
    if (values.checklist === 'chamber_hall' && i % 5 < 2) photographed.add(values);
    if ('first' in values) values.first = ensembles[i % ensembles.length] ?? null;
    return values;
  }).sort((a, b) => String(a.checked_on).localeCompare(String(b.checked_on)));
  let saved = false;
  for (let i = await countOf(db, 'hall_check'); i < sheets; i++) {
    if (i === before) await reword(db);
    const values = filled[i] ?? {};
    const submission = `demo-hall-check-${String(i).padStart(5, '0')}`;
    const by = String(values.checked_by);
    if (photographed.has(values)) values.photographs = [await photograph(db, values, by)];
    const entry = { submission, edition: 1, values };
    const { records } = await saveEntry(db, form, entry, by);
    await date(db, submission, records, momentOf(values));
    saved = true;
  }
  if (saved) await dateUses(db, filled);
}

const momentOf = ({ checked_on }: Record<string, Value>) => `${String(checked_on)} 15:30:00`;

/** Has the uses of the form stand on the days of its sheets; they were counted as those of today. */
async function dateUses(db: Database, filled: readonly Record<string, Value>[]): Promise<void> {
  await writeUses(db);
  const days = new Map<string, { n: number; last_at: string; last_by: string }>();
  for (const values of filled) {
    const day = String(values.checked_on);
    const last = { last_at: momentOf(values), last_by: String(values.checked_by) };
    days.set(day, { n: (days.get(day)?.n ?? 0) + 1, ...last });
  }
  const uses = () => db.knex('form_use').withSchema(db.catalog);
  await uses().where({ form_key: form }).delete();
  await uses().insert([...days].map(([day, use]) => ({ form_key: form, day, ...use })));
}

/** A photograph of a hall, handed in by whoever looked at it. */
async function photograph(
  db: Database,
  { hall, town, checked_on }: Record<string, Value>,
  by: string,
): Promise<KeptRow> {
  const seed = `${String(hall)} ${String(town)}`;
  const name = `${keyFrom(String(hall))}_${String(checked_on)}.png`;
  const picture = async (wide: number) => {
    // A demo that is taken up again hands it in anew.
    const known = { file: randomBytes(16).toString('hex'), name, by };
    return receiveFile(db, known, Readable.from([hallPicture(seed, wide)]));
  };
  const small = await picture(320);
  return { ...(await picture(720)), small: small.file };
}

/** Has a save stand on the day on which the hall was looked at. */
async function date(
  db: Database,
  save: string,
  records: readonly { table: string; id: number }[],
  at: string,
): Promise<void> {
  await db.knex('journal').withSchema(db.catalog).where({ save }).update({ at });
  for (const table of new Set(records.map((record) => record.table))) {
    const ids = records.filter((record) => record.table === table).map(({ id }) => id);
    const sql = `update ${tableSql(db, table)} set created_at = ?, updated_at = ? where id in (${ids.map(() => '?').join(', ')})`;
    await db.knex.raw(sql, [at, at, ...ids]);
  }
}

/** One sheet: its own fields, and answers to what its checklist asks. */
function sheetOf(chance: Chance, late: boolean): Record<string, Value> {
  const inside = chance.whole(1, 10) <= 6;
  const own: Record<string, Value> = {
    checklist: inside ? 'chamber_hall' : 'open_air_stage',
    hall: chance.pick(inside ? halls : stages),
    checked_on: late
      ? chance.date('2026-03-02', '2026-11-20')
      : chance.date('2024-11-25', '2026-02-27'),
    checked_by: chance.pick(people),
  };
  for (const question of demoQuestions) {
    if (question.checklist !== own.checklist) continue;
    const { code, when, kind, least = 0, greatest = 100 } = question;
    if (when !== undefined && !holds(when, own)) continue;
    if (question.required !== true && chance.whole(1, 4) === 1) continue;
    const choices = (question.choices ?? '').split('; ');
    if (kind === 'several_of') {
      for (const choice of choices) {
        const ticked = `${code}_${choice.toLowerCase().replace(/\W+/g, '_')}`;
        if (chance.whole(1, 2) === 1) own[ticked] = true;
      }
      continue;
    }
    const answers: Record<string, () => Value> = {
      whole_number: () => Math.max(least, Math.min(greatest, chance.whole(least, greatest / 2))),
      decimal: () => `${chance.whole(Number(least), Number(greatest) - 1)}.${chance.whole(0, 9)}0`,
      yes_no: () => chance.whole(1, 10) <= 6,
      rating: () => Math.max(chance.whole(1, 5), chance.whole(1, 5)),
      one_of: () => chance.pick(choices),
      date: () => chance.date('2024-01-05', '2024-11-20'),
      time: () => `${chance.whole(17, 22)}:${chance.pick(['00', '15', '30', '45'])}:00`,
      record: () => 1,
      short_text: () => `${chance.pick(people)}, 555-01${chance.whole(10, 99)}`,
      long_text: () => chance.pick(remarks),
    };
    own[code] = answers[kind]?.() ?? null;
  }
  return own;
}

/** The conditions of the demo all have the form `code = value`. */
function holds(when: string, answers: Readonly<Record<string, Value>>): boolean {
  const [code = '', value = ''] = when.split(' = ');
  return String(answers[code]) === value;
}

async function reword(db: Database): Promise<void> {
  const tables = await loadTables(db);
  const table = tableFrom(tables, 'check_question');
  const sql = `select id, code, row_version from ${tableSql(db, 'check_question')}`;
  for (const { id, code, row_version } of await rowsOf(db.knex, sql, [])) {
    const question = reworded[String(code)];
    if (question === undefined) continue;
    await changeRecord(db, tables, table, Number(id), Number(row_version), { question }, 'demo');
  }
}

async function countOf(db: Database, table: string): Promise<number> {
  const [row] = await rowsOf(db.knex, `select count(*) as n from ${tableSql(db, table)}`, []);
  return Number(row?.n ?? 0);
}

async function idsByName(db: Database, table: string): Promise<Map<string, number>> {
  const rows = await rowsOf(db.knex, `select id, name from ${tableSql(db, table)}`, []);
  return new Map(rows.map(({ id, name }) => [String(name), Number(id)]));
}
