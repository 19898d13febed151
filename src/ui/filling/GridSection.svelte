<script lang="ts">
  import { onMount } from 'svelte';
  import { num, plural, say } from '$lib/core/words/say';
  import { Button, Grid, type Block, type CellLook, type GridCommand } from '$lib/ui/parts';
  import { FileCopyOutline, WindowOutline } from 'flowbite-svelte-icons';
  import { tableChoices } from '$lib/core/plan/choices';
  import { type Field, type Section } from '$lib/core/plan/schema';
  import { gridView, markOf, type Picture } from '$lib/core/table/view';
  import type { Entry, Row } from '$lib/core/entry/entry';
  import { isAmount } from '$lib/core/values/types';
  import { isDerived } from '$lib/core/wiring/wired';
  import FieldInput from './FieldInput.svelte';
  import GridPicture from './GridPicture.svelte';
  import GridTotals from './GridTotals.svelte';
  import { columnsDrawn } from './grid-columns';
  import {
    clearBlock,
    copyBlock,
    copyOf,
    fillDown,
    pasteBlock,
    putRow,
    takeRows,
    type TakenRow,
  } from './grid-edits';
  import { mostRows } from '$lib/core/entry/rows';
  import type { EntrySession } from './session.svelte';
  import { KeptWidths } from './kept-widths';
  import { NarrowedRows } from './narrowed-rows.svelte';
  import { drawable } from '$lib/ui/tables/view-words';

  interface Props {
    session: EntrySession;
    section: Section;
    prefix?: string;
    lit?: string | null;
    onhover?: (field: string | null) => void;
    /** The line in which these stand, for a grid within another. */
    within?: Row | undefined;
  }
  let { session, section, prefix = 'f', lit = null, onhover, within }: Props = $props();

  const grid = $derived(section.key);
  const columns = $derived(section.fields.filter((field) => field.shows !== 'nothing'));
  const narrowed = new NarrowedRows();
  /** The lines that the form shows, and those of them that are looked at. */
  const inSight = $derived(session.rowsInSight(grid, within).slice());
  const rows = $derived(narrowed.of(inSight).slice());
  const inside = $derived(session.gridsWithin(grid));
  /** The places of the lines among all that stand here; those out of sight are counted too. */
  const all = $derived(session.rows(grid, within).slice());
  const numbers = $derived(new Map(all.map((row, i) => [row, i + 1])));
  /** The lines and the blank one at the end, which takes what is added. */
  const count = $derived(rows.length < mostRows ? rows.length + 1 : rows.length);

  let at = $state({ row: 0, column: 0 });
  let taken = $state.raw<TakenRow[]>([]);
  let told = $state('');
  let cells = $state<ReturnType<typeof Grid>>();
  /** Puts back what the edited cell held, for Esc. */
  let undo: () => void = () => {};

  const wiredOf = (field: Field) => session.form.scopes.get(grid)?.fields.get(field.key);

  /** What is summed and marked. */
  const view = $derived(
    section.grid && gridView(session.tables.get(section.grid.table)?.views, section.grid),
  );

  /** The picture that is drawn now, where another one was asked for than the view's. */
  let asked = $state.raw<{ picture: Picture | null } | null>(null);
  const drawn = $derived(section.grid ? columnsDrawn(session.form, section, columns) : []);
  const picture = $derived.by(() => {
    const wished = asked ? asked.picture : (view?.picture ?? null);
    return drawn.some(({ key }) => key === wished?.by) ? wished : null;
  });
  /** What a picture begins with: what groups the lines, or else the first column. */
  const firstPicture = $derived.by((): Picture | null => {
    const places = drawable(drawn);
    const by = places.find(({ key }) => key === (view?.picture?.by ?? view?.group)) ?? places[0];
    return by ? { by: by.key, total: view?.picture?.total ?? null } : null;
  });
  const summed = $derived(
    view !== null && (view.totals.length > 0 || view.group !== null || view.picture !== null),
  );

  const onnarrow = (label: string, lines: readonly Row[]) => narrowed.to(label, lines, inSight);

  // svelte-ignore state_referenced_locally
  const widths = new KeptWidths(`${session.form.plan.table}.${grid}`);
  onMount(() => widths.read());
  const widthOf = ({ key, savesTo }: Field) =>
    widths.of(key) ?? view?.columns?.find(({ column }) => column === savesTo)?.width ?? null;

  function isClosed(row: Row | undefined, field: Field): boolean {
    if (row) return session.closed(field.key, row);
    const wired = wiredOf(field);
    return wired !== undefined && isDerived(wired);
  }

  function text(row: Row | undefined, field: Field): string {
    if (!row) return '';
    return session.rejectedText(field.key, row) ?? session.words.shown(field.key, row);
  }

  function look(r: number, c: number): CellLook {
    const [row, field] = [rows[r], columns[c]];
    if (!field) return { text: '', name: '', closed: true };
    const closed = isClosed(row, field);
    const name = `${field.label}, ${row ? say(`line ${numbers.get(row)}`) : say('new line')}`;
    if (!row) return { text: '', name, closed };
    return {
      text: text(row, field),
      name,
      closed,
      bad: session.problems.at(field.key, row)?.message ?? null,
      unsure: session.cell(field.key, row).unsure,
      mark:
        view && field.savesTo !== null
          ? markOf(view, field.savesTo, session.cell(field.key, row).value)
          : null,
    };
  }

  function address(r: number, c: number): string {
    const [row, key] = [rows[r], columns[c]?.key ?? ''];
    return row ? session.path(key, row) : `${grid}[new ${prefix}].${key}`;
  }

  function find(path: string): { row: number; column: number } | null {
    if (!path.startsWith(`${grid}[`)) return null;
    const wanted = session.rowAt(path);
    // Who is sent to a line that is not looked at sees all of them.
    if (wanted && !rows.includes(wanted) && inSight.includes(wanted)) narrowed.clear();
    const row = path.startsWith(`${grid}[new ${prefix}]`)
      ? rows.length
      : rows.findIndex((line) => line === wanted);
    const column = columns.findIndex(({ key }) => path.endsWith(`].${key}`));
    return row === -1 ? null : { row, column: Math.max(0, column) };
  }

  /** In the blank line a new one begins. */
  function onedit(r: number, c: number): boolean {
    const field = columns[c];
    if (!field) return false;
    if (!rows[r]) session.changeRows((entry) => void addLine(entry));
    const line = narrowed.of(session.rowsInSight(grid, within))[r];
    if (!line) return false;
    const { value, current } = session.cell(field.key, line);
    const rejected = session.rejectedText(field.key, line);
    undo = () =>
      rejected === null
        ? session.set(field.key, value, current, line)
        : session.type(field.key, rejected, line);
    return true;
  }

  const addLine = (entry: Entry) => entry.addRow(grid, { values: {} }, undefined, within);

  /** Opens a line by itself, beside the form: all of its fields, and the lines that stand in it. */
  function open(line: Row | undefined) {
    if (line) session.openPanel({ kind: 'line', row: line });
  }

  function oncommand(command: GridCommand, r: number, block: Block): boolean {
    const [line, field] = [rows[r], columns[at.column]];
    const change = (work: (entry: Entry) => void) => session.changeRows(work);
    switch (command.do) {
      case 'fill down':
        change((entry) => fillDown(entry, rows, columns, block));
        return true;
      case 'clear':
        change((entry) => clearBlock(entry, rows, columns, block));
        return true;
      case 'type': {
        const toggles = command.letter === ' ' && field && wiredOf(field)?.type.kind === 'yes_no';
        if (!toggles || !line) return false;
        session.set(field.key, session.cell(field.key, line).value !== true, null, line);
        return true;
      }
      case 'put back':
        if (taken.length === 0) return false;
        putBack();
        return true;
      case 'remove line': {
        const meant = rows.slice(block.top, block.bottom + 1);
        if (meant.length > 0) removeLines(meant);
        return meant.length > 0;
      }
      default:
        if (line) withLine(command, line);
        return line !== undefined;
    }
  }

  function withLine(command: GridCommand, line: Row) {
    if (command.do === 'shift line') moveLine(line, command.by);
    else if (command.do === 'open line') open(line);
    else if (command.do === 'copy line') copyLine(line);
  }

  function moveLine(line: Row, by: -1 | 1) {
    session.changeRows((entry) => entry.moveRow(line, by));
    void cells?.focus(rows.indexOf(line), at.column);
  }

  function copyLine(line: Row) {
    session.changeRows((entry) => void putRow(entry, copyOf(entry, line)));
    void cells?.focus(rows.indexOf(line) + 1, at.column);
  }

  function removeLines(lines: readonly Row[]) {
    const [first] = lines;
    if (!first) return;
    const place = rows.indexOf(first);
    session.changeRows((entry) => (taken = takeRows(entry, lines)));
    told = '';
    void cells?.focus(Math.min(place, count - 1), at.column);
  }

  function putBack() {
    const [first, ...others] = taken;
    if (!first) return;
    taken = [];
    session.changeRows((entry) => {
      for (const back of [first, ...others]) putRow(entry, back);
    });
    const row = rows.findIndex((line) => numbers.get(line) === first.at + 1);
    void cells?.focus(Math.max(0, row), at.column);
  }

  function onpaste(given: string, block: Block) {
    session.changeRows((entry, reading) => {
      const {
        rows: pasted,
        beside,
        beyond,
        plain,
      } = pasteBlock(
        entry,
        { rows, add: () => addLine(entry) },
        columns,
        block.top === at.row ? at : { row: block.top, column: block.left },
        given,
        reading,
      );
      told = [
        plural(pasted, ['# line pasted', '# lines pasted']),
        beside > 0
          ? plural(beside, [
              '# cell did not fit into the columns',
              '# cells did not fit into the columns',
            ])
          : '',
        beyond > 0
          ? say(
              `${plural(beyond, ['# line did not fit', '# lines did not fit'])}: a grid holds ${num(mostRows)}`,
            )
          : '',
        plain > 0 ? say('numbers were read with a decimal point, dates as year-month-day') : '',
      ]
        .filter((part) => part !== '')
        .join('; ');
    });
    // The blank line has become another one: the cursor stays where it was pasted.
    void cells?.focus(block.top, block.left);
  }

  const oncopy = (block: Block) =>
    copyBlock(rows, columns, block, (field, row) => text(row, field));

  /** What the cell with the cursor has to say. */
  const said = $derived.by(() => {
    const [line, field] = [rows[at.row], columns[at.column]];
    const found = line && field ? session.problems.at(field.key, line) : null;
    if (found) return `${found.message} ${found.hint}`;
    const state = line && field && tableChoices(field) ? session.choices(field.key, line) : null;
    if (state?.status === 'waiting')
      return say(`choose ${session.words.labelNamed(state.for, line)} first`);
    return state?.status === 'empty' && field
      ? session.words.whyEmpty(field.key, state.offer, line).join(' ')
      : '';
  });
</script>

<fieldset class="mb-4 min-w-0" data-grid={grid}>
  <legend class="mb-2 font-serif text-[16px] font-semibold">
    {section.title}
    <span class="quiet font-sans! font-normal">
      {all.length > rows.length
        ? say(`${num(rows.length)} of ${plural(all.length, ['# line', '# lines'])}`)
        : plural(all.length, ['# line', '# lines'])}</span
    >
    {#if inSight.length > rows.length}
      <span class="quiet font-sans! font-normal"
        >· only {narrowed.label}
        <Button kind="link" onclick={() => narrowed.clear()}>Show all lines</Button></span
      >
    {/if}
  </legend>
  <Grid
    bind:this={cells}
    bind:at
    framed
    label={section.title}
    columns={columns.map((field) => ({
      key: field.key,
      label: field.label,
      numeric: isAmount(wiredOf(field)?.type),
      width: widthOf(field),
      lit: lit === `${grid}.${field.key}`,
      ...(field.required ? { note: say('required') } : {}),
    }))}
    {count}
    keyOf={(r) => rows[r]?.key ?? `blank ${r}`}
    {look}
    {address}
    {find}
    {onedit}
    onundo={() => undo()}
    {oncommand}
    {onpaste}
    {oncopy}
    onhover={(c) => onhover?.(c === null ? null : `${grid}.${columns[c]?.key ?? ''}`)}
    onwiden={(c, width) => {
      const field = columns[c];
      if (field) widths.set(field.key, width);
    }}
    leadLabel="Line"
    leadSilent
    extras={[
      ...inside.map(({ key, title }) => ({ key, label: title, numeric: true })),
      { key: 'actions', label: say('Actions'), silent: true },
    ]}
  >
    {#snippet lead(r)}{@const row = rows[r]}{#if row}{numbers.get(row)}{:else}<span data-blank
          >+</span
        >{/if}{/snippet}
    {#snippet editor(r, c)}
      {@const [row, field] = [rows[r], columns[c]]}
      {#if row && field}
        <FieldInput
          {session}
          {field}
          {row}
          id="{prefix}-{grid}-cell"
          label="{field.label}, line {numbers.get(row)}"
          onchosen={() => cells?.chosen()}
        />
      {/if}
    {/snippet}
    {#snippet extra(r, key)}
      {@const row = rows[r]}
      {#if row && key !== 'actions'}
        {@const bad = session.rows(key, row).some((inner) => session.problems.isIn(inner))}
        <Button
          kind="bare"
          class={['ref tabular-nums', bad && 'text-crimson!']}
          tabindex={-1}
          aria-label="{inside.find((scope) => scope.key === key)?.title} of line {numbers.get(row)}"
          title="Open the line (Alt Enter)"
          onclick={() => open(row)}
          >{num(session.rows(key, row).length)}{bad ? ` · ${say('to fix')}` : ''}</Button
        >
      {:else if row}
        <span
          class="[&_button]:text-soft inline-flex gap-1 opacity-0 group-focus-within/line:opacity-100 group-hover/line:opacity-100 [&_button]:min-h-6 [&_button]:min-w-6 [&_button]:text-center"
        >
          <Button
            kind="bare"
            tabindex={-1}
            aria-label="Open line {numbers.get(row)}"
            title="Open the line (Alt Enter)"
            onclick={() => open(row)}
            ><WindowOutline size="sm" class="inline" ariaLabel="" /></Button
          >
          <Button
            kind="bare"
            tabindex={-1}
            aria-label="Copy line {numbers.get(row)}"
            title="Copy the line (Ctrl D)"
            onclick={() => copyLine(row)}
            ><FileCopyOutline size="sm" class="inline" ariaLabel="" /></Button
          >
          <Button
            kind="bare"
            tabindex={-1}
            aria-label="Remove line {numbers.get(row)}"
            title="Remove the line, or those chosen (Ctrl Delete)"
            onclick={() => removeLines([row])}>×</Button
          >
        </span>
      {/if}
    {/snippet}
  </Grid>
  {#if view && summed && inSight.length > 0}
    <div class="flex flex-wrap items-start gap-x-4">
      <GridTotals {session} {section} {view} rows={inSight} {onnarrow} />
      {#if picture}
        <GridPicture
          {session}
          {picture}
          title={section.title}
          columns={drawn}
          rows={inSight}
          onpicture={(picture) => (asked = { picture })}
          {onnarrow}
        />
      {:else if firstPicture}
        <Button kind="link" class="mt-2" onclick={() => (asked = { picture: firstPicture })}
          >Draw</Button
        >
      {/if}
    </div>
  {/if}
  <div class="quiet mt-1 min-h-5" role="status">
    {#if said}
      <span class="text-crimson">{said}</span>
    {:else if taken.length > 1}
      {plural(taken.length, ['# line removed.', '# lines removed.'])}
      <Button kind="link" onclick={putBack}>Restore them</Button>
    {:else if taken[0]}
      Line {taken[0].at + 1} removed.
      <Button kind="link" onclick={putBack}>Restore line</Button>
    {:else if told}{told}{/if}
  </div>
</fieldset>
