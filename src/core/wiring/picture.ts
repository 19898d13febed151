import { readField } from './sources';
import { tableChoices } from '../plan/schema';
import type { FlowKind } from './graph';
import type { WiredField, WiredForm } from './form';

/** What a line of the picture means. */
export type PictureFlow = 'choices' | 'narrows' | 'brings' | 'computes' | 'rules' | 'writes';

/** A box of the picture: a table that is read, a field, or a table that is written. */
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

/** The flows of a form as a drawing: tables read on the left, fields in form order, tables written on the right. */
export function drawWiring(form: WiredForm): Picture {
  const fields = [...form.scopes.values()].flatMap((scope) => scope.list);
  const lines = fieldLines(form, fields);
  const layers = layersOf(fields, lines);
  const last = Math.max(1, ...layers.values()) + 1;
  const titled = (key: string) => form.tables.get(key)?.title ?? key;
  const boxes: Omit<PictureBox, 'x' | 'y'>[] = [];
  for (const key of sourcesOf(fields)) {
    boxes.push({ id: `source ${key}`, what: 'source', label: titled(key), more: 'read', layer: 0 });
  }
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
  for (const key of targetsOf(form)) {
    boxes.push({
      id: `target ${key}`,
      what: 'target',
      label: titled(key),
      more: 'written',
      layer: last,
    });
  }
  return { ...placed(boxes, last), lines: [...sourceLines(fields), ...lines, ...writeLines(form)] };
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
  for (const { wired, feeds } of form.graph.nodes) {
    for (const { to, kind } of feeds) {
      const flow = flowOf[kind];
      if (!flow || to.wired === wired || !fields.includes(wired)) continue;
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

function sourceOf({ field }: WiredField): string[] {
  const choices = tableChoices(field);
  return [...(choices ? [choices.table] : []), ...(field.rollup ? [field.rollup.table] : [])];
}

function sourcesOf(fields: readonly WiredField[]): string[] {
  return [...new Set(fields.flatMap(sourceOf))];
}

function sourceLines(fields: readonly WiredField[]): PictureLine[] {
  return fields.flatMap((wired) =>
    sourceOf(wired).map((table) => ({
      from: `source ${table}`,
      to: nameOf(wired),
      flow: 'choices' as const,
    })),
  );
}

function targetsOf(form: WiredForm): string[] {
  const scopes = [...form.scopes.values()].map((scope) => scope.table);
  return [...new Set([...scopes, ...form.writes.map((write) => write.table)])];
}

function writeLines(form: WiredForm): PictureLine[] {
  const saved = [...form.scopes.values()].flatMap((scope) =>
    scope.list
      .filter(({ field }) => field.savesTo !== null)
      .map((wired) => ({
        from: nameOf(wired),
        to: `target ${scope.table}`,
        flow: 'writes' as const,
      })),
  );
  const besides = form.writes.flatMap(({ table, scope: key, values }) => {
    const scope = form.scopes.get(key);
    const paths = values.flatMap(({ formula }) => formula.reads);
    const read = paths.flatMap((path) => (scope && readField(form.scopes, scope, path)) ?? []);
    return [...new Set(read.map(({ wired }) => nameOf(wired)))].map((from) => ({
      from,
      to: `target ${table}`,
      flow: 'writes' as const,
    }));
  });
  return [...saved, ...besides];
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
