<script lang="ts">
  import { createVirtualizer } from '@tanstack/svelte-virtual';
  import { onMount, tick, untrack, type Snippet } from 'svelte';
  import { get } from 'svelte/store';
  import { firstControl, focusable, goTo, reaches } from '$lib/ui/shared/focus';
  import Button from './Button.svelte';
  import Ledger from './Ledger.svelte';
  import type { Block, CellLook, GridColumn, GridExtra } from './grid';
  import { commandOf, type GridCommand } from './grid-keys';

  interface Props {
    label: string;
    columns: readonly GridColumn[];
    /** How many lines there are, with the blank one that takes what is added. */
    count: number;
    keyOf: (row: number) => string | number;
    look: (row: number, column: number) => CellLook;
    /** Where a cell stands, for the service of the cursor. */
    address: (row: number, column: number) => string;
    /** The cell of an address, where it is one of these. */
    find: (address: string) => { row: number; column: number } | null;
    /** What a cell is edited with. */
    editor: Snippet<[number, number]>;
    /** Before a cell is edited; false where it cannot be. */
    onedit: (row: number, column: number) => boolean;
    /** Before an edited cell is left; false keeps it open. */
    onleave?: () => boolean | Promise<boolean>;
    /** Takes back what was edited. */
    onundo: () => void;
    /** Does what a key means beyond moving and editing; false where it means nothing here. */
    oncommand?: (command: GridCommand, row: number, block: Block) => boolean;
    onpaste?: (text: string, block: Block) => void;
    oncopy?: (block: Block) => string;
    onsort?: (column: number) => void;
    onhover?: (column: number | null) => void;
    /** What stands before the cells of a line: its number. */
    lead: Snippet<[number]>;
    leadLabel: string;
    leadSilent?: boolean;
    extras?: readonly GridExtra[];
    extra?: Snippet<[number, string]>;
    /** Sets the width of a column, in pixels; widths cannot be changed where it is left out. */
    onwiden?: (column: number, width: number) => void;
    heading?: Snippet<[number]>;
    /** The headings over a line, by their places: those of groups that begin with it, or are folded before it. */
    headings?: (row: number) => readonly number[];
    /** What is said under a line. */
    note?: Snippet<[number]>;
    hasNote?: (row: number) => boolean;
    foot?: Snippet;
    /** Lets the lines stand in a frame of their own that scrolls; the page scrolls otherwise. */
    framed?: boolean;
    /** The cell with the cursor. */
    at?: { row: number; column: number };
  }
  let {
    label,
    columns,
    count,
    keyOf,
    look,
    address,
    find,
    editor,
    onedit,
    onleave = () => true,
    onundo,
    oncommand = () => false,
    onpaste,
    oncopy,
    onsort,
    onhover,
    lead,
    leadLabel,
    leadSilent = false,
    extras = [],
    extra,
    heading,
    headings = () => [],
    onwiden,
    note: noteBelow,
    hasNote = () => false,
    foot,
    framed = false,
    at = $bindable({ row: 0, column: 0 }),
  }: Props = $props();

  /** The other corner of what is chosen, where it is more than one cell. */
  let corner = $state.raw<{ row: number; column: number } | null>(null);
  let editing = $state(false);
  let frame = $state<HTMLDivElement>();
  let leaving = false;

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
    initialRect: { width: 800, height: 430 },
  });
  $effect(() => {
    const lines = count;
    void frame;
    untrack(() => get(virtual).setOptions({ count: lines, getScrollElement: () => frame ?? null }));
  });
  /** The lines that stand in the page: those in sight of a frame, all where there is none. */
  const shown = $derived(
    framed
      ? $virtual.getVirtualItems().map(({ index, start, end }) => ({ index, start, end }))
      : Array.from({ length: count }, (_, index) => ({ index, start: 0, end: 0 })),
  );
  const items = $derived(shown.filter(({ index }) => index < count));
  const above = $derived(items[0]?.start ?? 0);
  const below = $derived(
    framed ? Math.max(0, $virtual.getTotalSize() - (items.at(-1)?.end ?? 0)) : 0,
  );
  const tabStop = $derived(Math.min(at.row, count - 1));

  onMount(() =>
    reaches((wanted) => {
      const found = find(wanted);
      if (!found) return false;
      [at, corner] = [found, null];
      if (framed) get(virtual).scrollToIndex(found.row);
      // A whole line is reached by its first cell.
      const exact = address(found.row, found.column);
      if (exact !== wanted) goTo(exact);
      return true;
    }),
  );

  /** Brings the cursor to a cell, also to one far away. */
  export async function focus(row: number, column: number, extend = false): Promise<void> {
    const to = {
      row: Math.max(0, Math.min(row, count - 1)),
      column: Math.max(0, Math.min(column, columns.length - 1)),
    };
    corner = extend ? (corner ?? at) : null;
    at = to;
    await tick();
    if (framed) get(virtual).scrollToIndex(to.row);
    const from = corner;
    goTo(address(to.row, to.column));
    [at, corner] = [to, from];
  }

  /** Opens a cell; `seed` is the letter that was typed. */
  export async function edit(row: number, column: number, seed?: string): Promise<void> {
    if (look(row, column).closed || !onedit(row, column)) return;
    [at, corner] = [{ row, column }, null];
    editing = true;
    await tick();
    const cell = frame?.querySelector<HTMLElement>('[data-editing]');
    const control = cell ? firstControl(cell) : null;
    control?.focus();
    if (seed === undefined || !control) return;
    if (control instanceof HTMLSelectElement) return pickByLetter(control, seed);
    if (!(control instanceof HTMLInputElement || control instanceof HTMLTextAreaElement)) return;
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

  /** Leaves the open cell for another one, unless what stands in it is refused. */
  export async function leave(row: number, column: number, reopen = false): Promise<void> {
    if (!editing) return;
    leaving = true;
    // What is typed into a box counts when it is left.
    if (document.activeElement instanceof HTMLElement) document.activeElement.blur();
    const left = await onleave();
    leaving = false;
    if (!left) {
      const cell = frame?.querySelector<HTMLElement>('[data-editing]');
      if (cell) firstControl(cell)?.focus();
      return;
    }
    editing = false;
    await tick();
    if (reopen) await edit(row, column);
    else await focus(row, column);
  }

  /** After a choice from a list one goes on to the next cell; one that came after the cell was left moves nothing. */
  export function chosen(): void {
    const to = editing ? nextOpen(at.row, at.column, 1) : null;
    if (to) void leave(...to);
  }

  /** The next cell that can be filled, wrapping from line to line; `null` at the end. */
  function nextOpen(row: number, column: number, by: -1 | 1): [number, number] | null {
    for (let place = row * columns.length + column + by; place >= 0; place += by) {
      const [r, c] = [Math.floor(place / columns.length), place % columns.length];
      if (r >= count) return null;
      if (!look(r, c).closed) return [r, c];
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
      onundo();
      editing = false;
      void tick().then(() => focus(row, column));
    } else if (event.key === 'Tab') {
      const to = nextOpen(row, column, event.shiftKey ? -1 : 1);
      if (!to) return;
      event.preventDefault();
      void leave(...to);
    }
  }

  function onfocusout(event: FocusEvent & { currentTarget: HTMLElement }) {
    if (leaving || !editing) return;
    if (event.relatedTarget instanceof Node && event.currentTarget.contains(event.relatedTarget))
      return;
    // A choice is taken as the box is left; what stands in the cell is looked at after that.
    void tick().then(async () => {
      if (!leaving && editing && (await onleave())) editing = false;
    });
  }

  function oncellkey(event: KeyboardEvent) {
    const command = editing ? null : commandOf(event);
    if (command && perform(command)) event.preventDefault();
  }

  function perform(command: GridCommand): boolean {
    const { row, column } = at;
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
      case 'edit':
        void edit(row, column);
        return true;
      case 'type':
        if (oncommand(command, row, block)) return true;
        void edit(row, column, command.letter);
        return true;
      default:
        return oncommand(command, row, block);
    }
  }

  /** The column whose edge is being pulled: from where, and how wide it is now. */
  let widening = $state.raw<{ column: number; from: number; width: number } | null>(null);

  const widthOf = (c: number) => {
    const width = widening?.column === c ? widening.width : columns[c]?.width;
    return width ? `width: ${width}px; min-width: ${width}px; max-width: ${width}px` : undefined;
  };

  function beginWidening(event: PointerEvent & { currentTarget: HTMLElement }, column: number) {
    const width = event.currentTarget.closest('th')?.offsetWidth ?? 0;
    event.currentTarget.setPointerCapture(event.pointerId);
    widening = { column, from: event.clientX - width, width };
    event.preventDefault();
  }

  function widen(event: PointerEvent) {
    if (!widening) return;
    const width = Math.round(Math.max(48, Math.min(1200, event.clientX - widening.from)));
    widening = { ...widening, width };
  }

  function endWidening() {
    if (widening) onwiden?.(widening.column, widening.width);
    widening = null;
  }

  function isChosen(row: number, column: number): boolean {
    if (!corner) return false;
    return row >= block.top && row <= block.bottom && column >= block.left && column <= block.right;
  }
</script>

{#snippet headingsOver(row: number)}
  {#each heading ? headings(row) : [] as place (place)}
    <tr>
      <th
        class="bg-paper text-ink ps-5! pt-3 text-[14px]"
        colspan={columns.length + extras.length + 1}
        scope="rowgroup">{@render heading?.(place)}</th
      >
    </tr>
  {/each}
{/snippet}

<!-- svelte-ignore a11y_no_static_element_interactions -->
<div
  bind:this={frame}
  class={framed
    ? 'border-line bg-sheet relative max-h-[430px] overflow-auto border'
    : 'relative overflow-x-auto'}
  tabindex="-1"
  onpaste={(event) => {
    const given = event.clipboardData?.getData('text/plain') ?? '';
    if (editing || given === '' || !onpaste) return;
    event.preventDefault();
    onpaste(given, block);
  }}
  oncopy={(event) => {
    if (editing || !oncopy) return;
    event.preventDefault();
    event.clipboardData?.setData('text/plain', oncopy(block));
  }}
  onkeydown={(event) => event.target === frame && oncellkey(event)}
>
  <Ledger
    scrolls={false}
    class="grid-cells"
    role="grid"
    aria-label={label}
    aria-rowcount={count + 1}
    aria-multiselectable={oncopy !== undefined}
  >
    <thead>
      <tr>
        <th class="num w-9 ps-2!"><span class={leadSilent ? 'sr-only' : ''}>{leadLabel}</span></th>
        {#each columns as { key, label: head, numeric, note, sorted, lit }, c (key)}
          <th
            class={['relative', numeric && 'num', lit && 'shadow-[inset_0_-2px_0_var(--marigold)]']}
            style={widthOf(c)}
            aria-sort={sorted}
            onmouseenter={() => onhover?.(c)}
            onmouseleave={() => onhover?.(null)}
          >
            {#if sorted && onsort}
              <Button kind="bare" onclick={() => onsort(c)}>
                {head}<span aria-hidden="true"
                  >{{ ascending: ' ↑', descending: ' ↓', none: '' }[sorted]}</span
                >
              </Button>
            {:else}
              {head}{#if note}<span class="ms-1 font-normal">{note}</span>{/if}
            {/if}
            {#if onwiden}
              <span
                class="hover:bg-edge absolute inset-y-0 end-0 w-1.5 cursor-col-resize touch-none"
                aria-hidden="true"
                onpointerdown={(event) => beginWidening(event, c)}
                onpointermove={widen}
                onpointerup={endWidening}
              ></span>
            {/if}
          </th>
        {/each}
        {#each extras as { key, label: head, silent, numeric } (key)}
          <th class={numeric ? 'num' : ''}><span class={silent ? 'sr-only' : ''}>{head}</span></th>
        {/each}
      </tr>
    </thead>
    <tbody>
      {#if above > 0}<tr aria-hidden="true" style="height: {above}px"></tr>{/if}
      {#each items as { index: r } (keyOf(r))}
        {@render headingsOver(r)}
        <tr class="group/line" aria-rowindex={r + 2}>
          <td class="num text-soft w-9 ps-2!">{@render lead(r)}</td>
          {#each columns as { key, numeric }, c (key)}
            {#if editing && at.row === r && at.column === c}
              <td
                class="min-w-35 overflow-visible! p-0!"
                role="gridcell"
                data-editing
                data-field={address(r, c)}
                onkeydown={oneditkey}
                {onfocusout}>{@render editor(r, c)}</td
              >
            {:else}
              {@const cell = look(r, c)}
              <td
                role="gridcell"
                data-cell="{r},{c}"
                data-field={address(r, c)}
                tabindex={tabStop === r && at.column === c ? 0 : -1}
                style={widthOf(c)}
                class={[
                  'max-w-70 cursor-default truncate focus:outline-2 focus:-outline-offset-2',
                  numeric && 'num',
                  cell.closed && 'text-soft bg-paper',
                  isChosen(r, c) && 'bg-wash',
                  cell.unsure && 'opacity-55',
                  cell.bad && 'text-crimson shadow-[inset_0_-2px_0_var(--crimson)]',
                ]}
                aria-invalid={cell.bad ? true : undefined}
                aria-readonly={cell.closed ? true : undefined}
                aria-label="{cell.name}: {cell.text || 'empty'}"
                title={cell.bad ?? undefined}
                onkeydown={oncellkey}
                onfocus={() => {
                  if (at.row !== r || at.column !== c) [at, corner] = [{ row: r, column: c }, null];
                }}
                onclick={(event) => event.shiftKey && focus(r, c, true)}
                ondblclick={() => edit(r, c)}
                {@attach focusable(address(r, c))}
                >{#if cell.mark}<span class="mark {cell.mark.tone}">{cell.mark.word}</span
                  >{/if}{#if cell.tone}<span
                    class="me-1.5 inline-block h-2 w-2 rounded-full"
                    style="background: var(--{cell.tone})"
                    aria-hidden="true"
                  ></span>{/if}{#if cell.refers}<span class="ref">{cell.text}</span
                  >{:else}{cell.text}{/if}</td
              >
            {/if}
          {/each}
          {#each extras as { key, numeric } (key)}
            <td class={['whitespace-nowrap', numeric ? 'num' : 'text-end']}
              >{@render extra?.(r, key)}</td
            >
          {/each}
        </tr>
        {#if noteBelow && hasNote(r)}
          <tr>
            <td></td>
            <td class="whitespace-normal!" colspan={columns.length + extras.length}
              >{@render noteBelow(r)}</td
            >
          </tr>
        {/if}
      {/each}
      {@render headingsOver(count)}
      {#if below > 0}<tr aria-hidden="true" style="height: {below}px"></tr>{/if}
    </tbody>
    {@render foot?.()}
  </Ledger>
</div>
