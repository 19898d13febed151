import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { field, lookupOf, planOf } from '../../../tests/support/definitions';
import { openedSale, rest, saleTables, saleWorld } from '../../../tests/support/histories';
import { readerOf } from '../../../tests/support/world';
import { plainGrid } from '../plan/draft';
import type { Field, Plan } from '../plan/schema';
import type { Value } from '../values/types';
import { wireForm, type WiredForm } from '../wiring/form';
import { newBeginning, type Beginning, openedBeginning } from './beginning';
import type { Cell } from './host-state';
import { Entry, type Row } from './entry';
import { recomputed } from './recomputed';
import { settle } from './settle';
import type { Filled } from './filled';

/** So many are tried; `UNISOR_HISTORIES=50000` tries others, and many. */
const runs = Number(process.env.UNISOR_HISTORIES ?? 2500);
const seed = process.env.UNISOR_HISTORIES === undefined ? { seed: 20_261_126 } : {};

const one = <T>(...ways: T[]): fc.Arbitrary<T> => fc.constantFrom(...ways);
const yesNo = { kind: 'yes_no' } as const;

/** How a field is closed, if it is: all of these hang on nothing, on what is stored, or on `flag`. */
const closing = fc.record({
  shows: one<Field['shows']>('input', 'input', 'line', 'nothing'),
  lockedWhen: one<string | null>(null, null, 'flag', 'flag = false', 'before.note != null', 'true'),
  shownWhen: one<string | null>(null, null, 'flag', 'before.note = null', 'false'),
  whileHidden: one<Field['whileHidden']>('clear', 'keep'),
});

const inLine = fc.record({
  shows: one<Field['shows']>('input', 'line'),
  lockedWhen: one<string | null>(null, 'before.fee != null', 'parent.flag'),
});

const plans: fc.Arbitrary<Plan> = fc
  .record({
    note: closing,
    qty: closing,
    initial: one<Value>(null, 2),
    total: fc.tuple(
      closing,
      one<Partial<Field>>({}, { initially: 'qty * 5' }, { computes: 'qty' }),
    ),
    item: closing,
    stock: one<Partial<Field>>({}, { shows: 'nothing' }),
    fee: inLine,
    line: inLine,
  })
  .map(({ note, qty, initial, total: [totalClosed, begins], item, stock, fee, line }) => {
    const computed = 'computes' in begins ? { ...totalClosed, lockedWhen: null } : totalClosed;
    const plan = planOf(
      'sale',
      [
        field('flag', { savesTo: 'flag', holds: yesNo }),
        field('note', { savesTo: 'note', ...note }),
        field('qty', { savesTo: 'qty', initial, ...qty }),
        field('total', { savesTo: 'total', ...computed, ...begins }),
        field('item', { savesTo: 'item', choices: lookupOf('item'), ...item }),
        field('stock', { savesTo: 'stock', ...stock }),
      ],
      {
        buttons: [
          {
            key: 'count',
            label: 'Count',
            when: null,
            steps: [{ do: 'set', field: 'stock', to: '7' }],
          },
        ],
      },
    );
    const lines = {
      ...{ key: 'lines', title: 'Lines', columns: 1 as const, page: null },
      grid: plainGrid('line', 'sale'),
      fields: [
        field('item', { savesTo: 'item', choices: lookupOf('item'), ...line }),
        field('fee', { savesTo: 'fee', ...fee }),
      ],
    };
    return { ...plan, sections: [...plan.sections, lines] };
  });

const sales = fc.record({
  sale: fc.record({
    flag: one<Value>(null, true, false),
    note: one<Value>(null, 'old'),
    qty: one<Value>(null, 1),
    total: one<Value>(null, '15.00'),
    item: one<Value>(null, 1),
    extra: one<Value>(null),
    stock: one<Value>(null, 1),
  }),
  lines: fc.array(
    fc.record({ item: one<Value>(null, 1), fee: one<Value>(null, '5.00'), subs: fc.constant([]) }),
    { maxLength: 2 },
  ),
});

/** What somebody sends who keeps to no screen: any value for any field, said to be theirs or not. */
const forged = fc.record({
  values: fc.record(
    {
      flag: one<Value>(null, true, false),
      note: one<Value>(null, 'old', 'forged'),
      qty: one<Value>(null, 1, 2, 9),
      total: one<Value>(null, '15.00', '99.00'),
      item: one<Value>(null, 1, 2),
      stock: one<Value>(null, 1, 7, 8),
    },
    { requiredKeys: [] },
  ),
  others: fc.array(
    fc.record(
      { item: one<Value>(null, 1, 2), fee: one<Value>(null, '5.00', '99.00') },
      { requiredKeys: [] },
    ),
    { minLength: 3, maxLength: 3 },
  ),
  added: fc.boolean(),
  claims: one<'all' | 'none' | 'silent'>('all', 'none', 'silent'),
});

type Forged = typeof forged extends fc.Arbitrary<infer F> ? F : never;

const around = {
  clock: { today: () => '2027-03-01', now: () => '2027-03-01T09:00:00Z' },
  person: { name: 'Brida Quist' },
};

/** What a person can do at a field: nothing where it is only shown, locked or away. */
function typeAt(entry: Entry, key: string, value: Value, row?: Row, own = false): void {
  const { wired, locked, hidden, derived } = entry.cell(key, row);
  if (wired.field.shows !== 'input' || locked || hidden || derived) return;
  if (entry.value(key, row) !== value || own) entry.set(key, value, null, row);
}

/** What the flag is set to on the way. */
const openings: Value[][] = [
  [],
  [true, false, null, true, false, null],
  [true, false],
  [false, true],
];

/**
 * Fills a screen in so that it comes as near to some values as anybody could: straight away, or by opening
 * first what a flag opens; `all` types over what would follow by itself, too.
 */
async function typedLike(
  entry: Entry,
  target: Entry,
  flags: readonly Value[],
  all: boolean,
): Promise<void> {
  while (entry.rows('lines').length < target.rows('lines').length) entry.addRow('lines');
  for (const flag of [...flags, target.value('flag')]) {
    typeAt(entry, 'flag', flag);
    await rest(entry);
    for (const [grid, { list }] of entry.form.scopes) {
      const rows = grid === '' ? [undefined] : entry.rows(grid);
      rows.forEach((row, i) => {
        const goal = grid === '' ? undefined : target.rows(grid)[i];
        for (const { field: each } of list) {
          const meant = target.cell(each.key, goal);
          const follows = meant.follows && !meant.own && !all;
          if (each.key !== 'flag' && !follows) {
            typeAt(entry, each.key, meant.value, row, meant.follows);
          }
        }
      });
    }
    await rest(entry);
  }
  const button = target.value('stock') === 7;
  if (button) entry.set('stock', 7);
  await rest(entry);
}

const hostsOf = (entry: Entry) => [entry.root, ...entry.rows('lines')];

/** Whether anything at all can be typed into a field as things stand. */
const isOpen = ({ wired, locked, hidden, derived }: Readonly<Cell>) =>
  wired.field.shows === 'input' && !locked && !hidden && !derived;

describe('F9 a save reaches only what somebody could reach by typing', () => {
  for (const start of ['opened', 'new'] as const) {
    it(
      `from a ${start === 'new' ? 'new record' : 'stored one'}`,
      async () => {
        let taken = 0;
        let refused = 0;
        await fc.assert(
          fc.asyncProperty(plans, sales, forged, async (plan, sale, sent) => {
            const form = wireForm(plan, saleTables);
            const filled = forgedFilling(form, start === 'opened' ? sale.lines.length : 0, sent);
            const opened = start === 'opened' ? openedSale(form, sale) : null;
            const begin = (more: Partial<Beginning>): Beginning => ({
              ...(opened ? openedBeginning(opened) : { mode: 'new' as const }),
              ...more,
              around,
            });
            const server = new Entry(
              form,
              opened ? begin({ filled }) : { ...newBeginning(filled), around },
            );
            await settle(server, readerOf(saleWorld, form));
            if (server.problems().length + recomputed(server, filled).length > 0) {
              refused++;
              return;
            }
            taken++;
            const reached: Record<string, Value>[][] = [];
            for (const all of [false, true]) {
              for (const opening of openings) {
                const screen = new Entry(form, begin({}));
                await rest(screen);
                await typedLike(screen, server, opening, all);
                reached.push(hostsOf(screen).map((host) => screen.values(host)));
              }
            }
            // Which of two ways a condition was turned is not known for each field.
            hostsOf(server).forEach((host, i) => {
              for (const cell of host.cells.filter((each) => !isOpen(each))) {
                const { key } = cell.wired.field;
                const ways = reached.map((way) => way[i]?.[key]);
                expect(ways, cell.name).toContainEqual(cell.value);
              }
            });
          }),
          { numRuns: runs, ...seed },
        );
        // Both happen often enough to be looked at.
        expect(Math.min(taken, refused)).toBeGreaterThan(runs / 50);
      },
      Math.max(60_000, runs * 20),
    );
  }
});

function forgedFilling(
  form: WiredForm,
  stored: number,
  { values, others, added, claims }: Forged,
): Filled {
  const keys = form.scopes.get('')?.list.map(({ field: each }) => each.key) ?? [];
  const claim = (all: readonly string[]) =>
    claims === 'silent' ? undefined : claims === 'all' ? [...all] : [];
  const lines = [
    ...others.slice(0, stored).map((given, i) => ({ id: 70 + i, given })),
    ...(added ? others.slice(stored, stored + 1).map((given) => ({ key: 'n1', given })) : []),
  ].map(({ given, ...row }) => ({ ...row, values: given, own: claim(['item', 'fee']) }));
  return { values, own: claim(keys), rows: { lines } };
}
