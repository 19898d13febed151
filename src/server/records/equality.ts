import type { Runner } from '../database/connection';

/** So many texts are asked about in one statement. */
const together = 2000;

/**
 * What the database holds equal: case and accents do not count, `ß` is `ss`, blanks at the end are none. It is
 * asked, and nothing here has a rule of its own: two texts are equal where their keys are.
 */
export class Equality {
  readonly #keys = new Map<string, string>();

  constructor(readonly runner: Runner) {}

  /** Asks for the keys of texts; what is known already is not asked again. */
  async learn(texts: Iterable<string>): Promise<void> {
    const unknown = [...new Set(texts)].filter((text) => !this.#keys.has(text));
    for (let from = 0; from < unknown.length; from += together) {
      const part = unknown.slice(from, from + together);
      const [rows] = await this.runner.raw(sql, [JSON.stringify(part.map(plain))]);
      for (const { n, w } of rows as { n: number; w: string | null }[]) {
        const text = part[Number(n) - 1];
        if (text !== undefined) this.#keys.set(text, w ?? '');
      }
    }
  }

  /** The key of a text; one that was not asked about is equal to itself only. */
  key(text: string): string {
    return this.#keys.get(text) ?? `?${text}`;
  }

  /** Forgets what it has learnt: a long file has too many texts to be kept. */
  forget(): void {
    this.#keys.clear();
  }
}

/** The texts that are equal to some of others, by those. */
export async function equalityOf(runner: Runner, texts: Iterable<string>): Promise<Equality> {
  const equality = new Equality(runner);
  await equality.learn(texts);
  return equality;
}

const sql = `select t.n as n, hex(weight_string(t.v)) as w from json_table(?, '$[*]' columns (
  n for ordinality,
  v text character set utf8mb4 collate utf8mb4_uca1400_ai_ci path '$'
)) as t`;

/** Blanks at the ends do not count in keys; half of a pair of code units is no text. */
function plain(text: string): string {
  return text.trim().toWellFormed();
}
