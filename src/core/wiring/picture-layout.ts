import { plural } from '../words/say';
import type { Picture, PictureBox, PictureFlow, PictureLine } from './picture';

/** Something that stands in a row of the drawing; rows are counted from 0, from the top. */
export interface PlacedBox extends PictureBox {
  row: number;
}

/** What is framed: the rows of a grid, or a written table with its columns. */
export interface Frame {
  id: string;
  label: string;
  more: string;
  /** Its first row, which holds its heading, and its last. */
  from: number;
  to: number;
  /** 0 for what stands by itself, 1 for what stands within another. */
  depth: 0 | 1;
}

/** Several lines of one kind that begin in one box, or end in one: they share an upright in a lane of their own. */
export interface Bus {
  flow: PictureFlow;
  lines: readonly PictureLine[];
  /** Counted from 0, beginning beside the fields. */
  lane: number;
}

export interface Layout {
  rows: number;
  headings: readonly { title: string; row: number; scope: string }[];
  sources: readonly PlacedBox[];
  fields: readonly PlacedBox[];
  /** Written tables without columns of their own in the picture, and systems. */
  ends: readonly PlacedBox[];
  grids: readonly Frame[];
  tables: readonly Frame[];
  columns: readonly { target: string; field: string; label: string; more: string; row: number }[];
  /** Lines that run straight across: the source or the column stands in the row of its field. */
  straight: readonly PictureLine[];
  /** From field to field, left of the fields. */
  left: readonly Bus[];
  /** From sources to fields in other rows, right of the sources. */
  reading: readonly Bus[];
  /** From fields to what is written in other rows, right of the fields. */
  writing: readonly Bus[];
}

/**
 * Puts a picture into rows: fields in form order, what they read and write in the same rows where that can be, and
 * what does not run straight into lanes in which nothing runs over another. `only` leaves all other boxes out.
 */
export function layWiring(picture: Picture, only: ReadonlySet<string> | null): Layout {
  const shown = (id: string) => only === null || only.has(id);
  const boxes = new Map(picture.boxes.map((box) => [box.id, box]));
  const headings: Layout['headings'][number][] = [];
  const fields: PlacedBox[] = [];
  const grids: Frame[] = [];
  let row = 0;
  for (const { title, scope, fields: ids } of picture.sections) {
    const own = ids.filter(shown).flatMap((id) => boxes.get(id) ?? []);
    if (own.length === 0) continue;
    const from = row;
    headings.push({ title, row, scope });
    row++;
    for (const box of own) fields.push({ ...box, row: row++ });
    if (scope !== '') {
      const before = grids.at(-1);
      if (before?.id === scope) before.to = row - 1;
      else grids.push({ id: scope, label: title, more: '', from, to: row - 1, depth: 0 });
    }
  }
  const rowOf = new Map(fields.map(({ id, row }) => [id, row]));
  const lines = picture.lines.filter(({ from, to }) => shown(from) && shown(to));
  const sources = placeSources(picture, lines, rowOf, shown);
  for (const { id, row } of sources) rowOf.set(id, row);
  const columns = picture.columns.flatMap((column) => {
    const at = rowOf.get(column.field);
    return at === undefined || !shown(column.target) ? [] : [{ ...column, row: at }];
  });
  const { tables, ends, last } = placeTargets(picture, columns, headings, row, shown);
  for (const { id, row } of ends) rowOf.set(id, row);
  for (const { id, from } of tables) rowOf.set(id, from);
  const inRow = new Set(columns.map(({ field, target }) => `${field} ${target}`));
  const runsStraight = ({ from, to, flow }: PictureLine) =>
    flow === 'writes'
      ? inRow.has(`${from} ${to}`)
      : flow === 'choices' && rowOf.get(from) === rowOf.get(to);
  const rest = lines.filter((line) => !runsStraight(line));
  const between = rest.filter(({ flow }) => flow !== 'choices' && flow !== 'writes');
  return {
    rows: Math.max(row, last, ...sources.map((box) => box.row + 1)),
    headings,
    sources,
    fields,
    ends,
    grids,
    tables,
    columns,
    straight: lines.filter(runsStraight),
    left: lanes(between, ({ from, flow }) => `${from} ${flow}`, rowOf),
    reading: lanes(
      rest.filter(({ flow }) => flow === 'choices'),
      ({ from }) => from,
      rowOf,
    ),
    writing: lanes(
      rest.filter(({ flow }) => flow === 'writes'),
      ({ to }) => to,
      rowOf,
    ),
  };
}

/** Each source in the row of the first field that reads it, or in the next free one. */
function placeSources(
  picture: Picture,
  lines: readonly PictureLine[],
  rowOf: ReadonlyMap<string, number>,
  shown: (id: string) => boolean,
): PlacedBox[] {
  const wish = (id: string) =>
    Math.min(...lines.filter(({ from }) => from === id).map(({ to }) => rowOf.get(to) ?? 0));
  let next = 0;
  return picture.boxes
    .filter(({ what, id }) => what === 'source' && shown(id))
    .map((box) => ({ ...box, row: wish(box.id) }))
    .sort((a, b) => a.row - b.row)
    .map((box) => {
      const row = Math.max(next, Number.isFinite(box.row) ? box.row : next);
      next = row + 1;
      return { ...box, row };
    });
}

/** Tables whose columns stand in the rows of fields are framed around them; what else is written comes below. */
function placeTargets(
  picture: Picture,
  columns: readonly { target: string; row: number }[],
  headings: Layout['headings'],
  rows: number,
  shown: (id: string) => boolean,
): { tables: Frame[]; ends: PlacedBox[]; last: number } {
  const tables: Frame[] = [];
  const ends: PlacedBox[] = [];
  let last = rows;
  for (const box of picture.boxes.filter(({ what, id }) => what === 'target' && shown(id))) {
    const own = columns.filter(({ target }) => target === box.id).map(({ row }) => row);
    if (own.length === 0) {
      ends.push({ ...box, row: last++ });
      continue;
    }
    const { id, label, more } = box;
    const from = Math.max(
      ...headings.filter(({ row }) => row < Math.min(...own)).map((h) => h.row),
    );
    const told = [more, plural(own.length, ['# column', '# columns'])].filter((w) => w !== '');
    tables.push({ id, label, more: told.join(' · '), from, to: Math.max(...own), depth: 0 });
  }
  // The table of the form reaches around those of its lines.
  const [main, ...others] = tables;
  for (const table of others) {
    if (!main || table.from <= main.from) continue;
    table.depth = 1;
    main.to = Math.max(main.to, table.to);
  }
  return { tables, ends, last };
}

/** Bundles lines, and gives each bundle the innermost lane in which no other one runs over the same rows. */
function lanes(
  lines: readonly PictureLine[],
  bundleOf: (line: PictureLine) => string,
  rowOf: ReadonlyMap<string, number>,
): Bus[] {
  const bundles = new Map<string, PictureLine[]>();
  for (const line of lines) {
    if (!rowOf.has(line.from) || !rowOf.has(line.to)) continue;
    const bundle = bundles.get(bundleOf(line));
    if (bundle) bundle.push(line);
    else bundles.set(bundleOf(line), [line]);
  }
  const reach = [...bundles.values()].map((lines) => {
    // A line leaves below the middle of its row, and comes in above it.
    const rows = lines.flatMap(({ from, to }) => [
      (rowOf.get(from) ?? 0) + 0.2,
      (rowOf.get(to) ?? 0) - 0.2,
    ]);
    return { lines, from: Math.min(...rows), to: Math.max(...rows) };
  });
  reach.sort((a, b) => a.to - a.from - (b.to - b.from) || a.from - b.from);
  const taken: { from: number; to: number }[][] = [];
  return reach.map(({ lines, from, to }) => {
    let lane = taken.findIndex((others) => others.every((o) => o.to < from || o.from > to));
    if (lane === -1) lane = taken.length;
    (taken[lane] ??= []).push({ from, to });
    return { flow: lines[0]?.flow ?? 'computes', lines, lane };
  });
}

/** What a chosen box hangs on, and what rides on it, by labels. */
export interface Ride {
  /** What it is chosen from or read from. */
  from: readonly string[];
  narrowedBy: readonly string[];
  computedFrom: readonly string[];
  broughtBy: readonly string[];
  /** What narrows it, or feeds it, through others. */
  further: readonly string[];
  /** What follows from it directly, and through others. */
  carries: readonly string[];
  carriesFurther: readonly string[];
  /** How many of the saved values it reaches, of how many. */
  saved: { reached: number; all: number };
}

/** What is said of a chosen field: from where it comes, and what hangs on it. */
export function rideOf(picture: Picture, id: string): Ride {
  const grid = new Map(picture.sections.map(({ scope, title }) => [scope, title]));
  const label = new Map(
    picture.boxes.map(({ id, label, scope }) => {
      return [id, scope === '' ? label : `${grid.get(scope) ?? scope} › ${label}`];
    }),
  );
  const what = new Map(picture.boxes.map((box) => [box.id, box.what]));
  const name = (ids: Iterable<string>) => [...new Set(ids)].map((one) => label.get(one) ?? one);
  const into = (flow: PictureFlow) =>
    name(picture.lines.filter((l) => l.to === id && l.flow === flow).map(({ from }) => from));
  const walk = (near: 'from' | 'to', far: 'from' | 'to') => {
    const seen = new Set<string>();
    const open = [id];
    for (let at = open.pop(); at !== undefined; at = open.pop()) {
      for (const line of picture.lines) {
        if (line[near] !== at || seen.has(line[far]) || what.get(line[far]) !== 'field') continue;
        seen.add(line[far]);
        open.push(line[far]);
      }
    }
    seen.delete(id);
    return seen;
  };
  const direct = (near: 'from' | 'to', far: 'from' | 'to') =>
    new Set(picture.lines.filter((l) => l[near] === id).map((l) => l[far]));
  const [up, down] = [walk('to', 'from'), walk('from', 'to')];
  const [above, below] = [direct('to', 'from'), direct('from', 'to')];
  const kept = new Set(picture.columns.map(({ field }) => field));
  return {
    from: into('choices'),
    narrowedBy: into('narrows'),
    computedFrom: into('computes'),
    broughtBy: into('brings'),
    further: name([...up].filter((one) => !above.has(one))),
    carries: name([...down].filter((one) => below.has(one))),
    carriesFurther: name([...down].filter((one) => !below.has(one))),
    saved: { reached: [id, ...down].filter((one) => kept.has(one)).length, all: kept.size },
  };
}
