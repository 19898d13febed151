import type { Field } from '../src/core/plan/schema';
import { tableChoices } from '../src/core/plan/choices';
import { scopesOf } from '../src/core/plan/scopes';
import { loadEdition } from '../src/server/catalog/forms';
import { loadTables } from '../src/server/catalog/tables';
import { endDatabase, openDatabase, type Database } from '../src/server/database/connection';
import { tableSql } from '../src/server/database/ddl';
import { rowsOf } from '../src/server/database/rows';
import { sizesOf } from '../src/server/database/sizes';
import { readChoices } from '../src/server/records/choices';
import { wordsOf } from '../src/server/records/search';

const searches = [
  ...['lantern', 'rain', 'winter', 'quist', 'hesper', 'waltz', 'elegy', 'nocturne', 'hymn'],
  ...['th', 'the', 'of', 'for', 'la', 'wa', 'ra', 'no', 'a', 'l', '5'],
  ...['rain idyll', 'lantern quist', 'hesper quist', 'rain lantern', 'waltz of', 'winter sea'],
  ...['waltz of the harbour', 'joran velden waltz', 'nocturne rain quist', 'elegy two rivers'],
  ...['SC-500000', 'SC-50000', 'SC-5', 'SC-', 'sc-0', '12345', '999999'],
  ...['zebra', 'aaaaaaaa', 'xylophone quartet'],
];
const runs = 7;
/** A way that takes longer is no reference. Seconds. */
const longest = 1;

/** Forty searches of the scores of a loan as they are typed, each against the best of three statements by hand. */
export async function searching({ url }: { url: string }): Promise<void> {
  const db = openDatabase(url);
  try {
    const size = (await sizesOf(db)).get('score') ?? 0;
    const tables = await loadTables(db);
    const { plan } = await loadEdition(db, 'lend_music');
    const choices = scopesOf(plan)
      .flatMap(({ fields }) => fields)
      .map((field: Field) => tableChoices(field))
      .find((one) => one?.table === 'score');
    if (!choices) throw new Error('Lend music has no list of scores.');
    const all: number[] = [];
    const ratios: { text: string; ratio: number; ours: number; best: number }[] = [];
    for (const text of searches) {
      const wish = { choices, given: {}, current: null, search: text };
      const ours = await times(async () => void (await readChoices(db, db.knex, tables, wish)));
      all.push(...ours);
      const best = await bestOf(db, text);
      const own = median(ours);
      ratios.push({ text, ratio: own / (best * 1.3 + 3), ours: own, best });
    }
    const sorted = [...all].sort((a, b) => a - b);
    const at = (share: number) => sorted[Math.floor((sorted.length - 1) * share)] ?? Number.NaN;
    const within = ratios.filter(({ ratio }) => ratio <= 1).length;
    const far = ratios.sort((a, b) => b.ratio - a.ratio).slice(0, 3);
    console.log(
      `bench searching: p50 ${at(0.5).toFixed(1)} ms, p95 ${at(0.95).toFixed(1)} ms, worst ${at(1).toFixed(1)} ms; ` +
        `${within} of ${searches.length} within 1.3 × the best statement + 3 ms ` +
        `(about ${size} scores, ${searches.length} searches, n=${runs}); farthest: ` +
        far
          .map((one) => `“${one.text}” ${one.ours.toFixed(1)} to ${one.best.toFixed(1)} ms`)
          .join(', '),
    );
  } finally {
    await endDatabase(db);
  }
}

/** The quickest of three statements by hand: by the index of codes, in the order of the list, by the index of words. */
async function bestOf(db: Database, text: string): Promise<number> {
  const score = tableSql(db, 'score');
  const read = (where: string, bound: string[]) => () =>
    rowsOf(
      db.knex,
      `set statement max_statement_time=${longest} for select id, code, title, composer from ${score} where ${where} order by code, id limit 51`,
      bound,
    );
  const words = wordsOf(text);
  const anywhere = words.map(() => `concat(' ', code, ' ', title, ' ', composer) like ?`);
  const ways = [
    read('code like ?', [`${text}%`]),
    read(
      anywhere.join(' and '),
      words.map((word) => `% ${word}%`),
    ),
    read('match (code, title, composer) against (? in boolean mode)', [
      words.map((word) => `+${word}*`).join(' '),
    ]),
  ];
  const found: number[] = [];
  for (const [i, way] of ways.entries()) {
    const rows = await way().catch(() => null);
    // What finds no full page by the beginning of a code has to look further.
    if (rows === null || (i === 0 && rows.length < 51)) continue;
    const known = await times(async () => void (await way().catch(() => null)));
    found.push(median(known));
  }
  return found.length > 0 ? Math.min(...found) : longest * 1000;
}

async function times(work: () => Promise<void>): Promise<number[]> {
  await work();
  const all: number[] = [];
  for (let i = 0; i < runs; i++) {
    const began = performance.now();
    await work();
    all.push(performance.now() - began);
  }
  return all;
}

function median(values: number[]): number {
  return [...values].sort((a, b) => a - b)[values.length >> 1] ?? Number.NaN;
}
