import type { Ask, AskKind, Answer } from '$lib/core/entry/asks';
import { scopesOf } from '$lib/core/plan/scopes';
import { loadDraft } from '../catalog/forms';
import type { Database } from '../database/connection';
import { momentOf, storedMoment } from '../database/moments';
import { rowsOf } from '../database/rows';
import { log } from '../log';

/** From so many milliseconds on a read is noted: somebody has waited for it. */
export const slowFrom = 300;
/** What nobody has met for so many days is over. */
const lasts = 30;
const mostShown = 20;

/** Reads for one field of a form that took long. */
export interface SlowRead {
  form: string;
  title: string;
  /** The grid in which the field stands; empty for the form itself. */
  scope: string;
  field: string;
  label: string;
  kind: AskKind;
  n: number;
  /** Milliseconds. */
  longest: number;
  at: string;
}

/**
 * Notes which of the answers of a form took long, after they are given: nobody waits for it, and one that cannot be
 * written is let go.
 */
export function noteSlow(
  db: Database,
  form: string,
  asks: readonly Pick<Ask, 'id' | 'field' | 'grid' | 'kind'>[],
  answers: readonly Answer[],
): void {
  const slow = answers.filter((answer) => 'took' in answer && (answer.took ?? 0) >= slowFrom);
  if (slow.length === 0) return;
  const at = storedMoment(new Date());
  const rows = slow.flatMap((answer) => {
    const ask = asks.find(({ id }) => id === answer.id);
    const took = 'took' in answer ? Math.round(answer.took ?? 0) : 0;
    return ask ? [[form, ask.grid ?? '', ask.field, ask.kind ?? 'list', 1, took, at] as const] : [];
  });
  if (rows.length === 0) return;
  const sql = `insert into \`${db.catalog}\`.slow_read (form_key, scope, field, kind, n, longest, last_at)
    values ${rows.map(() => '(?, ?, ?, ?, ?, ?, ?)').join(', ')}
    on duplicate key update n = n + 1, longest = greatest(longest, values(longest)), last_at = values(last_at)`;
  void db.knex
    .raw(sql, rows.flat())
    .catch((err: unknown) => log.warn({ err }, 'slow reads were not noted'));
}

/** The reads that took long lately, the longest first; those of forms that are there. */
export async function slowReads(
  db: Database,
  forms: readonly { key: string; title: string }[],
): Promise<SlowRead[]> {
  const rows = await rowsOf(
    db.knex,
    `select form_key, scope, field, kind, n, longest, last_at from \`${db.catalog}\`.slow_read
     where last_at > utc_timestamp() - interval ${lasts} day order by longest desc limit 200`,
  );
  const titles = new Map(forms.map(({ key, title }) => [key, title]));
  const found = rows
    .flatMap((row): SlowRead[] => {
      const form = String(row.form_key);
      const title = titles.get(form);
      if (title === undefined) return [];
      const counted = { n: Number(row.n), longest: Number(row.longest), at: momentOf(row.last_at) };
      const kind = String(row.kind) as AskKind;
      return [
        {
          form,
          title,
          scope: String(row.scope),
          field: String(row.field),
          label: '',
          kind,
          ...counted,
        },
      ];
    })
    .slice(0, mostShown);
  return Promise.all(found.map(async (read) => ({ ...read, label: await labelOf(db, read) })));
}

/** How the field is called in the form as it is designed now; its key where it is gone. */
async function labelOf(db: Database, { form, scope, field }: SlowRead): Promise<string> {
  const { plan } = await loadDraft(db, form);
  const fields = scopesOf(plan).find(({ key }) => key === scope)?.fields ?? [];
  return fields.find(({ key }) => key === field)?.label ?? field;
}
