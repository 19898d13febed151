import type { Table } from '$lib/core/table/definition';
import { forAll } from '../database/wanted';
import type { Database } from '../database/connection';
import { tableSql, wordsName } from '../database/ddl';
import { likeText, type Expression, type Piece } from './query';

/** A typed search as SQL: what must hold, and how good a match is (0 exact, 1 prefix, 2 word). */
export interface Search {
  pieces: Piece[];
  rank: Piece;
}

const mostWords = 8;
const longestWord = 80;
const shortestTokens = new WeakMap<Database, Promise<number>>();

/**
 * Every typed word must begin a word of some shown column. A FULLTEXT index over just the shown
 * columns is used where there is one; otherwise the rows are looked through.
 */
export async function searchPieces(
  db: Database,
  table: Table,
  shown: readonly Expression[],
  text: string,
): Promise<Search> {
  const typed = text.trim();
  const indexed = searchIndex(db, table, shown);
  const pieces = indexed
    ? await indexedPieces(db, indexed, shown, typed)
    : piecesOf(wordsOf(typed), shown, typed);
  return { pieces, rank: rank(shown, typed) };
}

/** What the words that begin so are found by, given as the full-text index wants them. */
type Matching = (given: string) => Piece;

/** How the full-text index is asked that covers exactly what is shown; `null` where there is none. */
function searchIndex(db: Database, table: Table, shown: readonly Expression[]): Matching | null {
  const wanted = shown.map((e) => e.sql).sort();
  const own = (columns: readonly string[]) => columns.map((c) => `r.\`${c}\``);
  const index = table.indexes.find(
    ({ kind, columns, beside }) =>
      kind === 'search' && beside?.whole !== false && own(columns).sort().join() === wanted.join(),
  );
  if (!index) return null;
  const { beside } = index;
  const match = beside
    ? `r.\`id\` in (select w.id from ${tableSql(db, wordsName(beside.name))} w where match (w.words) against (? in boolean mode))`
    : `match (${own(index.columns).join(', ')}) against (? in boolean mode)`;
  return (given) => ({ sql: match, bindings: [given] });
}

async function indexedPieces(
  db: Database,
  index: Matching,
  shown: readonly Expression[],
  typed: string,
): Promise<Piece[]> {
  // Words of one letter are in no index, whatever its setting says.
  const shortest = Math.max(2, await shortestToken(db));
  const tokens = wordsOf(typed);
  const long = tokens.filter((token) => token.length >= shortest);
  const short = tokens.filter((token) => token.length < shortest);
  if (tokens.length === 0) return piecesOf(tokens, shown, typed);
  const matched: Piece[] = long.length > 0 ? [index(beginning(long))] : [];
  return [...matched, ...short.map((token) => lookedThrough(shown, token))];
}

/** What begins with all of some words, as a full-text index is asked. */
function beginning(words: readonly string[]): string {
  return words.map((word) => `+${word}*`).join(' ');
}

/**
 * The words of a text, as the index of words cuts them too: letters, digits and `_` together, everything else
 * between them. What is asked for is cut as what is there was.
 */
export function wordsOf(text: string): string[] {
  return text
    .split(/[^\p{L}\p{M}\p{Nd}_]+/u)
    .filter((word) => word !== '')
    .slice(0, mostWords)
    .map((word) => word.slice(0, longestWord));
}

/** Every word at the beginning of some word; a text without any is looked for as it is. */
function piecesOf(words: readonly string[], shown: readonly Expression[], typed: string): Piece[] {
  return (words.length === 0 ? [typed] : words).map((word) => lookedThrough(shown, word));
}

/** What may stand before a word, besides the beginning. */
const between = [' ', '-', "'", '’', '/', '(', '.', ',', '"', '“', '«', '„', '[', ':', '&', '+'];

/** A word at the beginning of any word of any shown column, without an index. */
function lookedThrough(shown: readonly Expression[], word: string): Piece {
  const text = likeText(word);
  const anywhere = shown.flatMap(({ sql }) =>
    ['', ...between.map((sign) => `%${sign}`)].map((before) => {
      return { sql: `${sql} like ?`, bindings: [`${before}${text}%`] };
    }),
  );
  return {
    sql: `(${anywhere.map((piece) => piece.sql).join(' or ')})`,
    bindings: anywhere.flatMap((piece) => piece.bindings),
  };
}

/** The same, with a quick look first: whether the word stands anywhere at all. */
export function lookedThroughQuickly(shown: readonly Expression[], word: string): Piece {
  const anywhere = shown.map(({ sql }) => `${sql} like ?`).join(' or ');
  const { sql, bindings } = lookedThrough(shown, word);
  const pattern = `%${likeText(word)}%`;
  return {
    sql: `((${anywhere}) and ${sql})`,
    bindings: [...shown.map(() => pattern), ...bindings],
  };
}

/** Some words by the FULLTEXT index over just the shown columns; `null` where there is none, or none of them are in it. */
export async function indexedWords(
  db: Database,
  table: Table,
  shown: readonly Expression[],
  words: readonly string[],
): Promise<Piece[] | null> {
  const index = searchIndex(db, table, shown);
  const shortest = await shortestToken(db);
  if (!index || words.some((word) => word.length < shortest)) return null;
  return [index(beginning(words))];
}

function rank(shown: readonly Expression[], typed: string): Piece {
  const exact = shown.map(({ sql }) => `${sql} = ?`).join(' or ');
  const prefix = shown.map(({ sql }) => `${sql} like ?`).join(' or ');
  return {
    sql: `case when ${exact} then 0 when ${prefix} then 1 else 2 end`,
    bindings: [...shown.map(() => typed), ...shown.map(() => `${likeText(typed)}%`)],
  };
}

/** Shorter words are in no FULLTEXT index of this server. */
function shortestToken(db: Database): Promise<number> {
  const known = shortestTokens.get(db);
  if (known) return known;
  const asked = forAll(async () => {
    const [[row]] = await db.knex.raw('select @@innodb_ft_min_token_size as n');
    return Number(row.n);
  });
  asked.catch(() => shortestTokens.delete(db));
  shortestTokens.set(db, asked);
  return asked;
}
