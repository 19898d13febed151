import { readField } from './sources';
import { tableChoices } from '../plan/choices';
import { occasionWords, systemTitle } from '../plan/words';
import { countWords } from '../words/about';
import { plural, say } from '../words/say';
import type { FlowKind } from './graph';
import type { WiredForm } from './form';
import type { WiredField } from './wired';
import type { WiredSend } from './writes';

/** What a line of the picture means. */
export type PictureFlow = 'choices' | 'narrows' | 'brings' | 'computes' | 'rules' | 'writes';

/** A box of the picture: what is read (a table, an option list, a query), a field, or what is written or sent. */
export interface PictureBox {
  id: string;
  what: 'source' | 'field' | 'target';
  label: string;
  /** What is less important: how many there are, how it is kept. */
  more: string;
  /** Of a field: the key of its grid; `''` for the form itself, and for what is no field. */
  scope: string;
  /** Of a field: whether it is kept in a column. */
  saved: boolean;
}

export interface PictureLine {
  from: string;
  to: string;
  flow: PictureFlow;
}

/** A part of the form under its heading. */
export interface PictureSection {
  title: string;
  /** The grid whose rows it shows; `''` for the form itself. */
  scope: string;
  /** The boxes of its fields, in form order. */
  fields: readonly string[];
}

/** A column of what is written, and the field that writes it. */
export interface PictureColumn {
  target: string;
  field: string;
  label: string;
  more: string;
}

export interface Picture {
  boxes: readonly PictureBox[];
  lines: readonly PictureLine[];
  sections: readonly PictureSection[];
  columns: readonly PictureColumn[];
}

/** The flows of a form: what is read, the fields in form order, what is written or sent, and what flows between them. */
export function drawWiring(
  form: WiredForm,
  counts: ReadonlyMap<string, number> = new Map(),
): Picture {
  const wired = [...form.scopes.values()].flatMap((scope) => scope.list);
  const sources = new Map(
    wired.flatMap((one) => sourcesOf(form, one, counts)).map((source) => [source.id, source]),
  );
  const end = (what: 'source' | 'target') => (one: End) => ({
    ...one,
    what,
    scope: '',
    saved: false,
  });
  const fields = wired.map((one): PictureBox => {
    const { field, scope } = one;
    const saved = field.savesTo !== null || passes(form, one);
    return {
      id: nameOf(one),
      what: 'field',
      label: field.label,
      more: saved ? fieldMore(one) : say('not saved'),
      scope,
      saved,
    };
  });
  return {
    boxes: [
      ...[...sources.values()].map(end('source')),
      ...fields,
      ...targetsOf(form).map(end('target')),
    ],
    lines: [...sourceLines(form, wired), ...fieldLines(form, wired), ...writeLines(form)],
    sections: form.plan.sections.map((section) => {
      const scope = section.grid ? section.key : '';
      const fields = section.fields.map(({ key }) => form.scopes.get(scope)?.fields.get(key));
      return {
        title: section.title,
        scope,
        fields: fields.filter((one) => one !== undefined).map(nameOf),
      };
    }),
    columns: wired.flatMap((one) => columnsOf(form, one)),
  };
}

/** Whether a field is one of those that pass through to an outside system. */
function passes({ plan }: WiredForm, { scope, field }: WiredField): boolean {
  return scope === '' && Boolean(plan.through?.write) && field.key in (plan.through?.columns ?? {});
}

function fieldMore({ field, broughtBy }: WiredField): string {
  if (field.choices?.kind === 'values') {
    return plural(field.choices.values.length, ['# set choice', '# set choices']);
  }
  return broughtBy ? (broughtBy.bring.keeps === 'live' ? say('live') : say('kept')) : '';
}

/** The column that a field writes, with how its value is made. */
function columnsOf(form: WiredForm, wired: WiredField): PictureColumn[] {
  const { field, type, broughtBy, computes } = wired;
  const id = nameOf(wired);
  const back = passedTo(form);
  if (back !== null && passes(form, wired)) {
    const label = form.plan.through?.columns[field.key] ?? '';
    return [{ target: `target outside ${back}`, field: id, label, more: '' }];
  }
  const scope = form.scopes.get(wired.scope);
  const table = scope && form.tables.get(scope.table);
  const column = table?.columns.find(({ key }) => key === field.savesTo);
  if (!table || !column) return [];
  const more = computes
    ? say('computed')
    : broughtBy
      ? say('as it is today')
      : type.kind === 'reference'
        ? say('the record chosen')
        : '';
  return [{ target: `target ${table.key}`, field: id, label: column.label, more }];
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

/** A box at an end of the picture, where nothing of the form stands. */
type End = Pick<PictureBox, 'id' | 'label' | 'more'>;

/** Where the values of a field come from: tables, option lists, queries on outside systems. */
function sourcesOf(
  { tables, plan }: WiredForm,
  { field, scope }: WiredField,
  counts: ReadonlyMap<string, number>,
): End[] {
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
      more: counts.has(key) ? countWords(counts.get(key) ?? 0) : '',
    })),
    ...(list === undefined
      ? []
      : [
          {
            id: `source list ${list}`,
            label: tables.lists.get(list)?.title ?? list,
            more: say('option list'),
          },
        ]),
    ...asked.map((key) => {
      const query = tables.queries.get(key);
      const more = query
        ? say(`asks ${systemTitle(tables, query.connection)}`)
        : say('asked outside');
      return { id: `source outside ${key}`, label: query?.title ?? key, more };
    }),
  ];
}

function sourceLines(form: WiredForm, fields: readonly WiredField[]): PictureLine[] {
  return fields.flatMap((wired) =>
    sourcesOf(form, wired, new Map()).map(({ id }) => ({
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
      more: writtenWords(form, key),
    })),
    ...[...told].map((key) => ({
      id: `target outside ${key}`,
      label: systemTitle(tables, key),
      more: key === back ? say('written back') : say('sent'),
    })),
  ];
}

/** How many records of a table a save writes, in words. */
function writtenWords({ scopes, writes }: WiredForm, table: string): string {
  const scope = [...scopes.values()].find((one) => one.table === table);
  if (scope) return scope.key === '' ? say('one record') : say('one for each line');
  const write = writes.find((one) => one.table === table);
  if (!write) return '';
  const each = write.scope === '' ? 'one' : say('one for each line');
  return `${each}, ${occasionWords[write.on]}`;
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
