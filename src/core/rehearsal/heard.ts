import type { Answer, AskKind, StandingAsk } from '../entry/asks';
import type { Reader } from '../entry/settle';
import { problem } from '../problems';
import type { WiredForm } from '../wiring/form';
import type { WiredField } from '../wiring/wired';
import type { Heard, Rehearsal } from './rehearsal';

/** What was asked and answered while a rehearsal was played. */
export interface Hearing {
  heard: Heard[];
  sources: Record<string, string>;
}

/** A reader that notes what it is asked and what is answered. */
export function listening(form: WiredForm, reader: Reader): { reader: Reader } & Hearing {
  const known = new Set<string>();
  const heard: Heard[] = [];
  const sources: Record<string, string> = {};
  return {
    heard,
    sources,
    reader: async (asks) => {
      const answers = await reader(asks);
      const byId = new Map(answers.map((answer) => [answer.id, answer]));
      for (const ask of asks) {
        const answer = byId.get(ask.id);
        const name = nameOf(ask);
        if (!answer || known.has(name)) continue;
        known.add(name);
        const of = askerOf(ask);
        sources[of] = saidBy(form, ask);
        heard.push({ of, given: { ...ask.given }, current: ask.current, answer: bare(answer) });
      }
      return answers;
    },
  };
}

/**
 * A reader that answers as it was recorded, whatever row asks; what was not asked then, or is asked otherwise now, it
 * hands on, and counts.
 */
export function recorded(
  form: WiredForm,
  { heard, sources }: Pick<Rehearsal, 'heard' | 'sources'>,
  otherwise: Reader = unanswered,
): { reader: Reader; unheard: StandingAsk[] } {
  const byName = new Map(heard.map((one) => [nameOf(one), one.answer]));
  const unheard: StandingAsk[] = [];
  const reader: Reader = async (asks) => {
    const known: Answer[] = [];
    const others: StandingAsk[] = [];
    for (const ask of asks) {
      const answer = byName.get(nameOf(ask));
      const fits = sources[askerOf(ask)] === saidBy(form, ask);
      if (answer && fits) known.push({ ...answer, id: ask.id });
      else others.push(ask);
    }
    unheard.push(...others);
    return others.length === 0 ? known : [...known, ...(await otherwise(others))];
  };
  return { reader, unheard };
}

const unanswered: Reader = async (asks) =>
  asks.map(({ id, field }) => ({ id, failed: problem('read_failed', { label: field }, field) }));

/** What asks: a field, for its list, its value, the columns of its record, or a typed key. */
export type Asker = Pick<StandingAsk, 'kind' | 'grid' | 'field'>;
type Asked = Pick<StandingAsk, 'given' | 'current'> & ({ of: string } | Asker);

function nameOf(ask: Asked): string {
  const of = 'of' in ask ? ask.of : askerOf(ask);
  const given = Object.entries(ask.given).sort(([a], [b]) => (a < b ? -1 : 1));
  return `${of} ${JSON.stringify([given, ask.current])}`;
}

/** What asks, as it is noted: `list lines.item`. */
export function askerOf({ kind, grid, field }: Asker): string {
  return `${kind} ${grid === '' ? field : `${grid}.${field}`}`;
}

/** What asked by how it was noted. */
export function askerIn(of: string): Asker {
  const [, kind = '', grid = '', field = ''] = /^(\w+) (?:([^.]+)\.)?(.+)$/.exec(of) ?? [];
  return { kind: kind as AskKind, grid, field };
}

/** Without what is another each time: how long it took. */
function bare(answer: Answer): Answer {
  const same = { ...answer, id: '' };
  Reflect.deleteProperty(same, 'took');
  return same;
}

/** How a field asks, as far as the plan says: what is asked under other words was not recorded. */
export function saidBy(form: WiredForm, { kind, grid, field }: Asker): string {
  const wired = form.scopes.get(grid)?.fields.get(field);
  return wired ? (saidByKind[kind](wired) ?? '') : '';
}

const saidByKind: Record<AskKind, (wired: WiredField) => string> = {
  list: ({ field }) => JSON.stringify(field.choices),
  key: ({ field }) => JSON.stringify(field.choices),
  value: ({ field }) => JSON.stringify([field.rollup, field.outside]),
  record: ({ field, type, columns }) => {
    const from = field.choices?.kind === 'outside' ? field.choices : type;
    return JSON.stringify([from, [...columns.keys()].sort()]);
  },
};
