import { readField } from './sources';
import { tableChoices } from '../plan/choices';
import { systemTitle } from '../plan/words';
import type { FlowKind } from './graph';
import type { WiredForm } from './form';
import type { WiredField } from './wired';
import type { WiredSend } from './writes';

/** What a line of the picture means. */
export type PictureFlow = 'choices' | 'narrows' | 'brings' | 'computes' | 'rules' | 'writes';

/** A box of the picture: what is read (a table, an option list, a query), a field, or what is written or told. */
export interface PictureBox {
  id: string;
  what: 'source' | 'field' | 'target';
  label: string;
  /** What is less important: the columns, the kind of value. */
  more: string;
  /** Its column: sources are 0, fields follow by how much they hang on one another, targets come last. */
  layer: number;
  x: number;
  y: number;
}

export interface PictureLine {
  from: string;
  to: string;
  flow: PictureFlow;
}

export interface Picture {
  boxes: readonly PictureBox[];
  lines: readonly PictureLine[];
  width: number;
  height: number;
}

/** Sizes of the drawing, in its own units. */
export const boxWidth = 132;
export const boxHeight = 40;
const gapX = 48;
const gapY = 14;

/** The flows of a form as a drawing: what is read on the left, fields in form order, what is written or told on the right. */
export function drawWiring(form: WiredForm): Picture {
  const fields = [...form.scopes.values()].flatMap((scope) => scope.list);
  const lines = fieldLines(form, fields);
  const layers = layersOf(fields, lines);
  const last = Math.max(1, ...layers.values()) + 1;
  const boxes: Omit<PictureBox, 'x' | 'y'>[] = [];
  const sources = new Map(fields.flatMap((wired) => sourcesOf(form, wired)).map((s) => [s.id, s]));
  for (const source of sources.values()) boxes.push({ ...source, what: 'source', layer: 0 });
  for (const wired of fields) {
    const { field, scope } = wired;
    const more = scope === '' ? '' : (form.scopes.get(scope)?.title ?? '');
    boxes.push({
      id: nameOf(wired),
      what: 'field',
      label: field.label,
      more,
      layer: layers.get(wired) ?? 1,
    });
  }
  for (const target of targetsOf(form)) boxes.push({ ...target, what: 'target', layer: last });
  return {
    ...placed(boxes, last),
    lines: [...sourceLines(form, fields), ...lines, ...writeLines(form)],
  };
}

/** The boxes and lines that a box hangs on, and those that hang on it. */
export function lit(picture: Picture, id: string): { boxes: Set<string>; lines: Set<PictureLine> } {
  const boxes = new Set([id]);
  const lines = new Set<PictureLine>();
  for (const [near, far] of [
    ['from', 'to'],
    ['to', 'from'],
  ] as const) {
    const open = [id];
    for (let at = open.pop(); at !== undefined; at = open.pop()) {
      for (const line of picture.lines) {
        if (line[near] !== at || lines.has(line)) continue;
        lines.add(line);
        boxes.add(line[far]);
        open.push(line[far]);
      }
    }
  }
  return { boxes, lines };
}

function nameOf({ scope, field }: WiredField): string {
  return scope === '' ? field.key : `${scope}.${field.key}`;
}

const flowOf: Partial<Record<FlowKind, PictureFlow>> = {
  narrows: 'narrows',
  brings: 'brings',
  computes: 'computes',
  rules: 'rules',
};

function fieldLines(form: WiredForm, fields: readonly WiredField[]): PictureLine[] {
  const lines = new Map<string, PictureLine>();
  for (const node of form.graph.nodes) {
    if (node.aspect === 'there') continue;
    const { wired, feeds } = node;
    for (const { to, kind } of feeds) {
      const flow = flowOf[kind];
      if (to.aspect === 'there' || !flow || to.wired === wired || !fields.includes(wired)) continue;
      const line = { from: nameOf(wired), to: nameOf(to.wired), flow };
      lines.set(`${line.from} ${line.to} ${flow}`, line);
    }
  }
  return [...lines.values()];
}

/** How far each field stands to the right: one behind all it hangs on. */
function layersOf(
  fields: readonly WiredField[],
  lines: readonly PictureLine[],
): Map<WiredField, number> {
  const layers = new Map(fields.map((wired) => [nameOf(wired), 1]));
  const feeding = lines.filter((line) => line.flow !== 'rules');
  // Flows of a form make no circle; the bound is for those that do.
  for (let round = 0, moved = true; moved && round < fields.length; round++) {
    moved = false;
    for (const { from, to } of feeding) {
      const behind = (layers.get(from) ?? 1) + 1;
      if (behind <= (layers.get(to) ?? 1) || behind > 12) continue;
      layers.set(to, behind);
      moved = true;
    }
  }
  return new Map(fields.map((wired) => [wired, layers.get(nameOf(wired)) ?? 1]));
}

/** A box at an end of the picture, where nothing of the form stands. */
type End = Pick<PictureBox, 'id' | 'label' | 'more'>;

/** Where the values of a field come from: tables, option lists, queries on outside systems. */
function sourcesOf({ tables, plan }: WiredForm, { field, scope }: WiredField): End[] {
  const { choices, rollup, outside } = field;
  const read = [tableChoices(field)?.table, rollup?.table].filter((key) => key !== undefined);
  const list = choices?.kind === 'options' ? choices.list : undefined;
  const passed = scope === '' && plan.through && field.key in plan.through.columns;
  const asked = [
    choices?.kind === 'outside' ? choices.query : outside?.query,
    passed ? plan.through?.query : undefined,
  ].filter((key) => key !== undefined);
  return [
    ...read.map((key) => ({
      id: `source ${key}`,
      label: tables.get(key)?.title ?? key,
      more: 'read',
    })),
    ...(list === undefined
      ? []
      : [
          {
            id: `source list ${list}`,
            label: tables.lists.get(list)?.title ?? list,
            more: 'option list',
          },
        ]),
    ...asked.map((key) => {
      const query = tables.queries.get(key);
      const more = query ? `asks ${systemTitle(tables, query.connection)}` : 'asked outside';
      return { id: `source outside ${key}`, label: query?.title ?? key, more };
    }),
  ];
}

function sourceLines(form: WiredForm, fields: readonly WiredField[]): PictureLine[] {
  return fields.flatMap((wired) =>
    sourcesOf(form, wired).map(({ id }) => ({
      from: id,
      to: nameOf(wired),
      flow: 'choices' as const,
    })),
  );
}

/** The tables that are written, and the systems that are told; where a form passes through, only those. */
function targetsOf(form: WiredForm): End[] {
  const { tables, plan } = form;
  const scopes = plan.through ? [] : [...form.scopes.values()].map((scope) => scope.table);
  const written = new Set([...scopes, ...form.writes.map((write) => write.table)]);
  const told = new Set(tellings(form).map(({ connection }) => connection));
  const back = passedTo(form);
  if (back !== null) told.add(back);
  return [
    ...[...written].map((key) => ({
      id: `target ${key}`,
      label: tables.get(key)?.title ?? key,
      more: 'written',
    })),
    ...[...told].map((key) => ({
      id: `target outside ${key}`,
      label: systemTitle(tables, key),
      more: key === back ? 'written back' : 'told',
    })),
  ];
}

/** What the form tells outside systems: with its saves, and by its buttons. */
function tellings(form: WiredForm): Pick<WiredSend, 'connection' | 'values'>[] {
  const pressed = form.buttons.flatMap(({ steps }) => steps.filter((step) => step.do === 'tell'));
  return [...form.sends, ...pressed];
}

/** The system to which a form writes back what it passes through; `null` where it does not. */
function passedTo({ plan: { through }, tables }: WiredForm): string | null {
  return through?.write ? (tables.queries.get(through.query)?.connection ?? null) : null;
}

function writeLines(form: WiredForm): PictureLine[] {
  const back = passedTo(form);
  const passed =
    back === null
      ? []
      : Object.keys(form.plan.through?.columns ?? {}).map((key) => [key, `outside ${back}`]);
  const saved = [...form.scopes.values()].flatMap((scope) =>
    scope.list
      .filter(({ field }) => field.savesTo !== null)
      .map((wired) => [nameOf(wired), scope.table]),
  );
  const besides = [
    ...form.writes.map(({ table, scope, values }) => ({ to: table, scope, values })),
    ...tellings(form).map(({ connection, values }) => ({
      to: `outside ${connection}`,
      scope: '',
      values,
    })),
  ].flatMap(({ to, scope: key, values }) => {
    const scope = form.scopes.get(key);
    const paths = values.flatMap(({ formula }) => formula.reads);
    const read = paths.flatMap((path) => (scope && readField(form.scopes, scope, path)) ?? []);
    return [...new Set(read.map(({ wired }) => nameOf(wired)))].map((from) => [from, to]);
  });
  return [...passed, ...saved, ...besides].map(([from = '', to = '']) => ({
    from,
    to: `target ${to}`,
    flow: 'writes' as const,
  }));
}

/** Puts each layer into a column, its boxes in their order, each column around the middle. */
function placed(
  boxes: readonly Omit<PictureBox, 'x' | 'y'>[],
  last: number,
): Omit<Picture, 'lines'> {
  const columns = Array.from({ length: last + 1 }, (_, layer) =>
    boxes.filter((b) => b.layer === layer),
  );
  const filled = columns.filter((column) => column.length > 0);
  const tallest = Math.max(1, ...filled.map((column) => column.length));
  const height = tallest * (boxHeight + gapY) - gapY;
  const drawn = filled.flatMap((column, i) => {
    const top = (height - (column.length * (boxHeight + gapY) - gapY)) / 2;
    return column.map((box, k): PictureBox => {
      return { ...box, x: i * (boxWidth + gapX), y: top + k * (boxHeight + gapY) };
    });
  });
  return { boxes: drawn, width: filled.length * (boxWidth + gapX) - gapX, height };
}
