<script lang="ts">
  import { createVirtualizer } from '@tanstack/svelte-virtual';
  import { tick, untrack } from 'svelte';
  import { get } from 'svelte/store';
  import { isDerived } from '$lib/core/wiring/wired';
  import type { Entry, Row } from '$lib/core/entry/entry';
  import { type Field, type Section } from '$lib/core/plan/schema';
  import { tableChoices } from '$lib/core/plan/choices';
  import { markOf } from '$lib/core/table/view';
  import { isAmount } from '$lib/core/values/types';
  import { locale } from '$lib/ui/shared/locale';
  import { FileCopyOutline, WindowOutline } from 'flowbite-svelte-icons';
  import FieldInput from './FieldInput.svelte';
  import GridTotals from './GridTotals.svelte';
  import {
    clearBlock,
    copyBlock,
    copyOf,
    fillDown,
    mostLines,
    pasteBlock,
    putRow,
    takeRow,
    type Block,
    type TakenRow,
  } from './grid-edits';
  import { commandOf, type GridCommand } from './grid-keys';
  import type { EntrySession } from './session.svelte';

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
  const rows = $derived(session.rowsInSight(grid, within).slice());
  const inside = $derived(session.gridsWithin(grid));
  /** The places of the lines among all that stand here; those out of sight are counted too. */
  const all = $derived(session.rows(grid, within).slice());
  const numbers = $derived(new Map(all.map((row, i) => [row, i + 1])));
  /** The lines and the blank one at the end, which takes what is added. */
  const count = $derived(rows.length < mostLines ? rows.length + 1 : rows.length);

  let at = $state({ row: 0, column: 0 });
  /** The other corner of what is chosen, where it is more than one cell. */
  let corner = $state.raw<{ row: number; column: number } | null>(null);
  let editing = $state(false);
  let taken = $state.raw<TakenRow | null>(null);
  let told = $state('');
  let frame = $state<HTMLDivElement>();
  let leaving = false;
  /** What the edited cell held, for Esc. */
  let before: { value: unknown; undo: () => void } | null = null;

  const block = $derived<Block>({
    top: Math.min(at.row, corner?.row ?? at.row),
    bottom: Math.max(at.row, corner?.row ?? at.row),
    left: Math.min(at.column, corner?.column ?? at.column),
    right: Math.max(at.column, corner?.column ?? at.column),
  });

  const rowHeight = 33;
  const virtual = createVirtualizer<HTMLDivElement, HTMLTableRowElement>({
    count: untrack(() => count),
    getScrollElement: () => frame ?? null,
    estimateSize: () => rowHeight,
    overscan: 8,
    initialRect: { width: 800, height: 420 },
  });
  $effect(() => {
    const lines = count;
    void frame;
    untrack(() => get(virtual).setOptions({ count: lines, getScrollElement: () => frame ?? null }));
  });
  const items = $derived($virtual.getVirtualItems().filter((item) => item.index < count));
  const above = $derived(items[0]?.start ?? 0);
  const below = $derived(Math.max(0, $virtual.getTotalSize() - (items.at(-1)?.end ?? 0)));

  const wiredOf = (field: Field) => session.form.scopes.get(grid)?.fields.get(field.key);
  const isNumber = (field: Field) => isAmount(wiredOf(field)?.type);
  const counted = (n: number, word: string) =>
    `${n.toLocaleString(locale())} ${word}${n === 1 ? '' : 's'}`;

  /** What is summed and marked: the named view of the table, if the grid uses one. */
  const view = $derived(
    session.tables
      .get(section.grid?.table ?? '')
      ?.views?.find((named) => named.key === section.grid?.view) ?? null,
  );
  const markAt = (row: Row, field: Field) =>
    view && field.savesTo !== null
      ? markOf(view, field.savesTo, session.entry.value(field.key, row))
      : null;

  function isClosed(row: Row | undefined, field: Field | undefined): boolean {
    if (!field) return true;
    if (row) return session.closed(field.key, row);
    const wired = wiredOf(field);
    return wired !== undefined && isDerived(wired);
  }

  function text(row: Row | undefined, field: Field): string {
    if (!row) return '';
    return session.entry.rejectedText(field.key, row) ?? session.shown(field.key, row);
  }

  async function focus(row: number, column: number, extend = false) {
    const to = {
      row: Math.max(0, Math.min(row, count - 1)),
      column: Math.max(0, Math.min(column, columns.length - 1)),
    };
    corner = extend ? (corner ?? at) : null;
    at = to;
    await tick();
    // A line far away is not in the page yet, and one that still is may be about to leave it.
    for (let frames = 0; frames < 40; frames++) {
      if (at.row !== to.row || at.column !== to.column || editing) return;
      const cell = cellAt(to.row, to.column);
      if (cell) cell.focus();
      else {
        // The frame keeps the keys until the line has been scrolled to.
        frame?.focus({ preventScroll: true });
        get(virtual).scrollToIndex(to.row);
      }
      await new Promise((resolve) => requestAnimationFrame(resolve));
      const now = document.activeElement;
      if (now === cell || (now !== document.body && !frame?.contains(now))) return;
    }
  }

  function cellAt(row: number, column: number): HTMLElement | null {
    return frame?.querySelector<HTMLElement>(`[data-cell="${row},${column}"]`) ?? null;
  }

  /** Opens a cell; in the blank line a new one begins. `seed` is the letter that was typed. */
  async function edit(row: number, column: number, seed?: string) {
    const field = columns[column];
    if (!field || isClosed(rows[row], field)) return;
    [at, corner] = [{ row, column }, null];
    if (!rows[row]) session.changeRows((entry) => void addLine(entry));
    const line = session.rowsInSight(grid, within)[row];
    if (!line) return;
    const { value, current } = session.entry.cell(field.key, line);
    const rejected = session.entry.rejectedText(field.key, line);
    before = {
      value,
      undo: () =>
        rejected === null
          ? session.set(field.key, value, current, line)
          : session.type(field.key, rejected, line),
    };
    editing = true;
    await tick();
    const control = frame?.querySelector<HTMLInputElement | HTMLSelectElement>(
      '.editing .control, .editing input',
    );
    control?.focus();
    if (seed === undefined || !control) return;
    if (control instanceof HTMLSelectElement) return pickByLetter(control, seed);
    control.value = seed;
    control.dispatchEvent(new Event('input', { bubbles: true }));
  }

  /** A letter typed on a cell of options chooses the first that begins with it, as it would in the open box. */
  function pickByLetter(control: HTMLSelectElement, letter: string) {
    const begins = ({ text, value }: HTMLOptionElement) =>
      value !== '' && text.trim().toLowerCase().startsWith(letter.toLowerCase());
    const found = [...control.options].find(begins);
    if (!found) return;
    control.value = found.value;
    control.dispatchEvent(new Event('change', { bubbles: true }));
  }

  const addLine = (entry: Entry) => entry.addRow(grid, { values: {} }, undefined, within);

  /** Opens a line by itself, beside the form: all of its fields, and the lines that stand in it. */
  function open(line: Row | undefined) {
    if (line) session.openPanel({ kind: 'line', row: line });
  }

  /** Brings the cursor to the cell of a problem, wherever in the grid its line stands. */
  $effect(() => {
    const path = session.wanted;
    if (path === null || !path.startsWith(`${grid}[`)) return;
    untrack(() => {
      const row = rows.findIndex((line) => line === session.rowAt(path));
      if (row === -1) return;
      session.wanted = null;
      const column = columns.findIndex(({ key }) => path.endsWith(`].${key}`));
      // The panel in which it may stand moves the cursor when it opens; this one comes after.
      setTimeout(() => void focus(row, Math.max(0, column)), within ? 90 : 0);
    });
  });

  /** Leaves the open cell for another one. */
  async function leave(row: number, column: number) {
    leaving = true;
    // What is typed into a key box counts when it is left.
    (document.activeElement as HTMLElement | null)?.blur();
    editing = false;
    leaving = false;
    await focus(row, column);
  }

  /** The next cell that can be filled, wrapping from line to line; `null` at the end. */
  function nextOpen(row: number, column: number, by: -1 | 1): [number, number] | null {
    for (let place = row * columns.length + column + by; place >= 0; place += by) {
      const [r, c] = [Math.floor(place / columns.length), place % columns.length];
      if (r >= count) return null;
      if (!isClosed(rows[r], columns[c])) return [r, c];
    }
    return null;
  }

  function oneditkey(event: KeyboardEvent) {
    const { row, column } = at;
    if (event.key === 'Enter' && !event.shiftKey && !event.ctrlKey) {
      event.preventDefault();
      event.stopPropagation();
      void leave(row + 1, column);
    } else if (event.key === 'Escape') {
      event.stopPropagation();
      before?.undo();
      void leave(row, column);
    } else if (event.key === 'Tab') {
      const to = nextOpen(row, column, event.shiftKey ? -1 : 1);
      if (!to) return;
      event.preventDefault();
      void leave(...to);
    }
  }

  function onfocusout(event: FocusEvent) {
    const cell = event.currentTarget as HTMLElement;
    if (leaving || !editing || cell.contains(event.relatedTarget as Node | null)) return;
    editing = false;
  }

  /** After a choice from a list one goes on to the next cell. */
  function onchosen() {
    // A choice that was found after the cell was left moves nothing.
    if (!editing) return;
    const to = nextOpen(at.row, at.column, 1);
    if (to) void leave(...to);
  }

  function oncellkey(event: KeyboardEvent, field: Field) {
    const command = editing ? null : commandOf(event);
    if (command && perform(command, field)) event.preventDefault();
  }

  /** Does what a key means at the cell with the cursor; false where there is nothing to do. */
  function perform(command: GridCommand, field: Field): boolean {
    const { row, column } = at;
    const line = rows[row];
    const change = (work: (entry: Entry) => void) => session.changeRows(work);
    switch (command.do) {
      case 'move':
        void focus(row + command.rows, column + command.columns, command.extend);
        return true;
      case 'home':
        void focus(command.whole ? 0 : row, 0, command.extend);
        return true;
      case 'end':
        void focus(command.whole ? count - 1 : row, columns.length - 1, command.extend);
        return true;
      case 'next': {
        const to = nextOpen(row, column, command.by);
        if (to) void focus(...to);
        return to !== null;
      }
      case 'fill down':
        change((entry) => fillDown(entry, rows, columns, block));
        return true;
      case 'clear':
        change((entry) => clearBlock(entry, rows, columns, block));
        return true;
      case 'edit':
        void edit(row, column);
        return true;
      case 'type':
        if (command.letter === ' ' && wiredOf(field)?.type.kind === 'yes_no' && line) {
          session.set(field.key, session.entry.value(field.key, line) !== true, null, line);
        } else void edit(row, column, command.letter);
        return true;
      case 'put back':
        if (!taken) return false;
        putBack();
        return true;
      default:
        if (line) withLine(command, line);
        return line !== undefined;
    }
  }

  function withLine(command: GridCommand, line: Row) {
    if (command.do === 'shift line') moveLine(line, command.by);
    else if (command.do === 'open line') open(line);
    else if (command.do === 'copy line') copyLine(line);
    else if (command.do === 'remove line') removeLine(line);
  }

  function moveLine(line: Row, by: -1 | 1) {
    session.changeRows((entry) => entry.moveRow(line, by));
    void focus(at.row + by, at.column);
  }

  function copyLine(line: Row) {
    session.changeRows((entry) => void putRow(entry, copyOf(entry, line)));
    void focus(at.row + 1, at.column);
  }

  function removeLine(line: Row) {
    session.changeRows((entry) => (taken = takeRow(entry, line)));
    told = '';
    void focus(Math.min(at.row, count - 1), at.column);
  }

  function putBack() {
    const back = taken;
    if (!back) return;
    taken = null;
    session.changeRows((entry) => void putRow(entry, back));
    const row = rows.findIndex((line) => numbers.get(line) === back.at + 1);
    void focus(Math.max(0, row), at.column);
  }

  function onpaste(event: ClipboardEvent) {
    const given = event.clipboardData?.getData('text/plain') ?? '';
    if (editing || given === '') return;
    event.preventDefault();
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
        `${counted(pasted, 'line')} pasted`,
        beside > 0 ? `${counted(beside, 'cell')} had no column here` : '',
        beyond > 0
          ? `${counted(beyond, 'line')} had no room: a grid holds ${mostLines.toLocaleString(locale())}`
          : '',
        plain > 0 ? 'numbers read with a decimal point, dates as year-month-day' : '',
      ]
        .filter((part) => part !== '')
        .join('; ');
    });
    // The blank line has become another one: the cursor stays where it was pasted.
    void focus(block.top, block.left);
  }

  function oncopy(event: ClipboardEvent) {
    if (editing) return;
    event.preventDefault();
    event.clipboardData?.setData(
      'text/plain',
      copyBlock(rows, columns, block, (field, row) => text(row, field)),
    );
  }

  function isChosen(row: number, column: number): boolean {
    if (!corner) return false;
    return row >= block.top && row <= block.bottom && column >= block.left && column <= block.right;
  }

  /** What the cell with the cursor has to say. */
  const said = $derived.by(() => {
    const [line, field] = [rows[at.row], columns[at.column]];
    const found = line && field ? session.problemAt(field.key, line) : null;
    if (found) return `${found.message} ${found.hint}`;
    const state = line && field && tableChoices(field) ? session.choices(field.key, line) : null;
    if (state?.status === 'waiting') return `choose ${session.labelNamed(state.for, line)} first`;
    return state?.status === 'empty' && field
      ? session.whyEmpty(field.key, state.offer, line).join(' ')
      : '';
  });
</script>

<fieldset class="mb-4 min-w-0" data-grid={grid}>
  <legend class="mb-2 font-serif text-[16px] font-semibold">
    {section.title}
    <span class="quiet font-sans!">
      {#if all.length > rows.length}{rows.length.toLocaleString(locale())} of{/if}
      {counted(all.length, 'line')}</span
    >
  </legend>
  <!-- svelte-ignore a11y_no_static_element_interactions -->
  <div
    bind:this={frame}
    class="frame"
    tabindex="-1"
    {onpaste}
    {oncopy}
    onkeydown={(event) => {
      const field = columns[at.column];
      if (event.target === frame && field) oncellkey(event, field);
    }}
  >
    <table class="lines" role="grid" aria-label={section.title} aria-rowcount={count + 1}>
      <thead>
        <tr>
          <th class="no"><span class="sr-only">Line</span></th>
          {#each columns as field (field.key)}
            <th
              class:num={isNumber(field)}
              class:lit={lit === `${grid}.${field.key}`}
              onmouseenter={() => onhover?.(`${grid}.${field.key}`)}
              onmouseleave={() => onhover?.(null)}
            >
              {field.label}{#if field.required}<span class="ms-1 font-normal">required</span>{/if}
            </th>
          {/each}
          {#each inside as { key, title } (key)}<th class="num">{title}</th>{/each}
          <th class="steps"><span class="sr-only">Steps</span></th>
        </tr>
      </thead>
      <tbody>
        {#if above > 0}<tr aria-hidden="true" style="height: {above}px"></tr>{/if}
        {#each items as item (rows[item.index]?.key ?? `blank ${item.index}`)}
          {@const row = rows[item.index]}
          <tr class="group" aria-rowindex={item.index + 2}>
            <td class="no">{row ? numbers.get(row) : '+'}</td>
            {#each columns as field, c (field.key)}
              {#if editing && at.row === item.index && at.column === c && row}
                <td
                  class="editing"
                  role="gridcell"
                  data-field={session.path(field.key, row)}
                  onkeydown={oneditkey}
                  {onfocusout}
                >
                  <FieldInput
                    {session}
                    {field}
                    {row}
                    id="{prefix}-{grid}-cell"
                    label="{field.label}, line {numbers.get(row)}"
                    {onchosen}
                  />
                </td>
              {:else}
                {@const found = row ? session.problemAt(field.key, row) : null}
                {@const current = at.row === item.index && at.column === c}
                <td
                  role="gridcell"
                  data-cell="{item.index},{c}"
                  data-field={row ? session.path(field.key, row) : undefined}
                  tabindex={current ? 0 : -1}
                  class:num={isNumber(field)}
                  class:closed={isClosed(row, field)}
                  class:bad={found !== null}
                  class:chosen={isChosen(item.index, c)}
                  class:unsure={row ? session.entry.cell(field.key, row).unsure : false}
                  aria-invalid={found !== null}
                  aria-readonly={isClosed(row, field)}
                  aria-label="{field.label}, {row ? `line ${numbers.get(row)}` : 'new line'}: {text(
                    row,
                    field,
                  ) || 'empty'}"
                  title={found?.message}
                  onkeydown={(event) => oncellkey(event, field)}
                  onfocus={() => {
                    if (!current) [at, corner] = [{ row: item.index, column: c }, null];
                  }}
                  onclick={(event) => event.shiftKey && focus(item.index, c, true)}
                  ondblclick={() => edit(item.index, c)}
                  >{#if row && markAt(row, field)}<span class="mark {markAt(row, field)?.tone}"
                      >{markAt(row, field)?.word}</span
                    >{/if}{text(row, field)}</td
                >
              {/if}
            {/each}
            {#each inside as { key, title } (key)}
              <td class="num">
                {#if row}
                  {@const bad = session.rows(key, row).some((inner) => session.problemIn(inner))}
                  <button
                    type="button"
                    class={['ref tabular-nums', bad && 'text-crimson!']}
                    tabindex="-1"
                    aria-label="{title} of line {numbers.get(row)}"
                    title="Open the line (Alt Enter)"
                    onclick={() => open(row)}
                    >{session.rows(key, row).length.toLocaleString(locale())}{bad
                      ? ' · to mend'
                      : ''}</button
                  >
                {/if}
              </td>
            {/each}
            <td class="steps">
              {#if row}
                <button
                  type="button"
                  tabindex="-1"
                  aria-label="Open line {numbers.get(row)}"
                  title="Open the line (Alt Enter)"
                  onclick={() => open(row)}
                  ><WindowOutline size="sm" class="inline" ariaLabel="" /></button
                >
                <button
                  type="button"
                  tabindex="-1"
                  aria-label="Copy line {numbers.get(row)}"
                  title="Copy the line (Ctrl D)"
                  onclick={() => copyLine(row)}
                  ><FileCopyOutline size="sm" class="inline" ariaLabel="" /></button
                >
                <button
                  type="button"
                  tabindex="-1"
                  aria-label="Remove line {numbers.get(row)}"
                  title="Remove the line (Ctrl Delete)"
                  onclick={() => removeLine(row)}>×</button
                >
              {/if}
            </td>
          </tr>
        {/each}
        {#if below > 0}<tr aria-hidden="true" style="height: {below}px"></tr>{/if}
      </tbody>
    </table>
  </div>
  {#if view && rows.length > 0}<GridTotals {session} {section} {view} {rows} />{/if}
  <div class="quiet mt-1 min-h-5" role="status">
    {#if said}
      <span class="text-crimson">{said}</span>
    {:else if taken}
      Line {taken.at + 1} removed.
      <button type="button" class="textlink" onclick={putBack}>Put it back</button>
    {:else if told}{told}{/if}
  </div>
</fieldset>

<style>
  .frame {
    max-height: 430px;
    overflow: auto;
    border: 1px solid var(--line);
    background: var(--sheet);
  }
  .lines {
    width: 100%;
    border-collapse: separate;
    border-spacing: 0;
    font-size: 13.5px;
    font-variant-numeric: tabular-nums;
  }
  th {
    position: sticky;
    top: 0;
    z-index: 1;
    padding: 7px 8px;
    border-bottom: 1px solid var(--line);
    background: var(--paper);
    color: var(--ink-soft);
    text-align: left;
    font-size: 12px;
    white-space: nowrap;
  }
  td {
    height: 33px;
    max-width: 280px;
    padding: 0 8px;
    overflow: hidden;
    border-bottom: 1px solid var(--line-soft);
    text-overflow: ellipsis;
    white-space: nowrap;
    cursor: default;
  }
  td:not(.no, .steps) {
    border-left: 1px solid var(--line-soft);
  }
  td:focus {
    outline: 2px solid var(--marigold);
    outline-offset: -2px;
  }
  .num {
    text-align: right;
  }
  .no {
    width: 36px;
    color: var(--ink-soft);
    text-align: right;
  }
  .steps {
    width: 88px;
    text-align: right;
  }
  .steps button {
    min-width: 24px;
    min-height: 24px;
    color: var(--ink-soft);
    opacity: 0;
  }
  tr:hover .steps button,
  tr:focus-within .steps button,
  .steps button:focus {
    opacity: 1;
  }
  .closed {
    background: var(--paper);
    color: var(--ink-soft);
  }
  .chosen {
    background: var(--marigold-wash);
  }
  .bad {
    box-shadow: inset 0 -2px 0 var(--crimson);
    color: var(--crimson);
  }
  .unsure {
    opacity: 0.55;
  }
  .lit {
    box-shadow: inset 0 -2px 0 var(--marigold);
  }
  .editing {
    min-width: 140px;
    padding: 0;
    overflow: visible;
  }
</style>
