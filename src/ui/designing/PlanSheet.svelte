<script lang="ts">
  import { tick } from 'svelte';
  import { SvelteSet } from 'svelte/reactivity';
  import { dndzone, type DndEvent } from 'svelte-dnd-action';
  import { copyFields } from '$lib/core/plan/copy';
  import { addField, arrangeFields, moveField } from '$lib/core/plan/edit';
  import { removeFields, renameField } from '$lib/core/plan/rename';
  import { sightOf, type Sight } from '$lib/core/plan/sight';
  import { type Field, type Plan, type Section } from '$lib/core/plan/schema';
  import { addressOf, placeOf, rootScope, scopeOf, scopesOf } from '$lib/core/plan/scopes';
  import type { House } from '$lib/core/table/definition';
  import type { EntrySession } from '$lib/ui/filling/session.svelte';
  import { liveScope } from './live-scope';
  import AddField from './AddField.svelte';
  import LineBand from './LineBand.svelte';
  import { firstControl, goTo } from '$lib/ui/shared/focus';
  import { cellAddress, questions, type Cell, type Question } from './questions';
  import SectionHead from './SectionHead.svelte';
  import SheetFoot from './SheetFoot.svelte';
  import SheetLine from './SheetLine.svelte';

  interface Props {
    plan: Plan;
    tables: House;
    counts: ReadonlyMap<string, number>;
    open: Cell | null;
    /** The field that is lit in the live form, by its address. */
    lit: string | null;
    offered: (field: string) => string;
    /** The live form, for formulas. */
    live: EntrySession | null;
    onedit: (edit: (plan: Plan) => Plan) => void;
    onhover: (field: string | null) => void;
  }
  let {
    plan,
    tables,
    counts,
    open = $bindable(),
    lit,
    offered,
    live,
    onedit,
    onhover,
  }: Props = $props();

  let band = $state<HTMLElement>();
  /** The one cell that Tab reaches; from there the arrow keys go on. */
  let stop = $state.raw<Cell | null>(null);
  /** The line on which the cursor was last. */
  let current = $state<string | null>(null);
  /** The section that takes the next field, where its heading was last. */
  let into = $state<string | null>(null);
  /** Lines that are moved, copied and removed together. */
  const selected = new SvelteSet<string>();
  /** The fields of a section while one of them is dragged over it. */
  let dragged = $state.raw<Record<string, { id: string; field: Field }[]>>({});

  const lines = $derived(
    plan.sections.flatMap((s) => s.fields.map((f) => addressOf(scopeOf(s), f.key))),
  );
  const tabStop = $derived(
    stop && lines.includes(stop.field)
      ? stop
      : { field: lines[0] ?? '', question: 'field' as const },
  );
  const sights = $derived(
    new Map(
      scopesOf(plan).flatMap(({ key }): [string, Sight][] => {
        const sight = sightOf(plan, key, tables);
        return sight ? [[key, sight]] : [];
      }),
    ),
  );
  const liveScopes = $derived(
    new Map([...sights.keys()].map((scope) => [scope, live ? liveScope(live, scope) : null])),
  );
  const intoSection = $derived(plan.sections.find((s) => s.key === into) ?? null);
  const currentScope = $derived(
    intoSection ? scopeOf(intoSection) : placeOf(open?.field ?? current ?? '').scope,
  );

  function items(section: Section) {
    return dragged[section.key] ?? section.fields.map((field) => ({ id: field.key, field }));
  }

  function consider(section: string, event: CustomEvent<DndEvent<{ id: string; field: Field }>>) {
    dragged = { ...dragged, [section]: event.detail.items };
  }

  function finalize(section: Section, event: CustomEvent<DndEvent<{ id: string; field: Field }>>) {
    const order = event.detail.items.map((item) => item.id);
    const was = section.fields.map((f) => f.key);
    dragged = Object.fromEntries(Object.entries(dragged).filter(([key]) => key !== section.key));
    const gone = was.filter((key) => !order.includes(key));
    // What was dragged out of a section is placed by the section that takes it.
    if (gone.length === 0 && order.join() !== was.join()) {
      onedit((p) => arrangeFields(p, section.key, order));
    }
  }

  function toggle(field: string, question: Question) {
    open = open?.field === field && open.question === question ? null : { field, question };
    if (open) void focusBand();
  }

  async function focusBand() {
    await tick();
    if (band) firstControl(band)?.focus();
  }

  async function focusCell(cell: Cell) {
    await tick();
    stop = cell;
    goTo(cellAddress(cell));
  }

  /** The chosen lines with this one, where it is among them; otherwise this one alone. */
  function together(address: string): { scope: string; keys: string[] } {
    const { scope, key } = placeOf(address);
    if (!selected.has(address)) return { scope, keys: [key] };
    const chosen = lines.filter((line) => selected.has(line) && placeOf(line).scope === scope);
    return { scope, keys: chosen.map((line) => placeOf(line).key) };
  }

  function move(address: string, question: Question, by: -1 | 1) {
    const { scope, keys } = together(address);
    onedit((p) => {
      const addresses = keys.map((key) => addressOf(scope, key));
      const [first, ...others] = by === -1 ? addresses : addresses.reverse();
      const moved = first === undefined ? p : moveField(p, first, by);
      // Where the first cannot move, the others would only change places with it.
      return moved === p ? p : others.reduce((q, each) => moveField(q, each, by), moved);
    });
    if (!open) void focusCell({ field: address, question });
  }

  function copy(address: string) {
    const { scope, keys } = together(address);
    const { plan: copied, copies } = copyFields(plan, tables, scope, keys);
    onedit(() => copied);
    selected.clear();
    const [first] = copies;
    if (copies.length > 1) for (const key of copies) selected.add(addressOf(scope, key));
    if (first) void focusCell({ field: addressOf(scope, first), question: 'field' });
  }

  function remove(address: string) {
    const { scope, keys } = together(address);
    const gone = new Set(keys.map((key) => addressOf(scope, key)));
    const at = lines.findLastIndex((line) => gone.has(line));
    const left = lines.filter((line) => !gone.has(line));
    const next = left.find((line) => lines.indexOf(line) > at) ?? left.at(-1);
    if (open && gone.has(open.field)) open = null;
    selected.clear();
    onedit((p) => removeFields(p, tables, scope, keys));
    if (next) void focusCell({ field: next, question: 'field' });
  }

  /** Gives a field another key, carried through everything that names it. */
  function rename(address: string, to: string): boolean {
    const { scope, key } = placeOf(address);
    const renamed = renameField(plan, tables, key, to, scope);
    if (renamed === plan) return false;
    open = { field: addressOf(scope, to), question: 'field' };
    onedit(() => renamed);
    return true;
  }

  function add(field: Field) {
    const scope = currentScope;
    const place = intoSection
      ? { scope, section: intoSection.key }
      : { scope, behind: placeOf(open?.field ?? current ?? '').key };
    onedit((p) => addField(p, field, place));
    [current, into] = [addressOf(scope, field.key), null];
  }

  /** A section that was added takes the next field. */
  function onaddsection(edit: (plan: Plan) => Plan) {
    onedit(edit);
    [open, into] = [null, plan.sections.at(-1)?.key ?? null];
  }

  function onlinepress(address: string, question: Question, event: MouseEvent) {
    if (question !== 'field' || !(event.shiftKey || event.ctrlKey || event.metaKey)) {
      selected.clear();
      return toggle(address, question);
    }
    if (!event.shiftKey || current === null) {
      if (!selected.delete(address)) selected.add(address);
      return;
    }
    const [from, to] = [lines.indexOf(current), lines.indexOf(address)].sort((a, b) => a - b);
    for (const line of lines.slice(from, (to ?? 0) + 1)) selected.add(line);
  }

  function onlinekey(address: string, question: Question, event: KeyboardEvent) {
    const row = lines.indexOf(address);
    const column = questions.findIndex((q) => q.key === question);
    const go = (r: number, c: number) => {
      const [to, asked] = [lines[r], questions[c]?.key];
      if (to && asked) void focusCell({ field: to, question: asked });
      return to;
    };
    const extend = (by: -1 | 1) => {
      selected.add(address);
      const to = go(row + by, column);
      if (to) selected.add(to);
    };
    if (event.altKey && event.key === 'ArrowUp') move(address, question, -1);
    else if (event.altKey && event.key === 'ArrowDown') move(address, question, 1);
    else if (event.ctrlKey && event.key.toLowerCase() === 'd') copy(address);
    else if (event.key === 'F2') toggle(address, question);
    else if (event.key === 'Delete') remove(address);
    else if (event.key === 'Escape' && selected.size > 0) selected.clear();
    else if (event.shiftKey && event.key === 'ArrowDown') extend(1);
    else if (event.shiftKey && event.key === 'ArrowUp') extend(-1);
    else if (event.key === 'ArrowDown') go(row + 1, column);
    else if (event.key === 'ArrowUp') go(row - 1, column);
    else if (event.key === 'ArrowRight') go(row, column + 1);
    else if (event.key === 'ArrowLeft') go(row, column - 1);
    else return;
    event.preventDefault();
  }

  /** Moves the line whose box has the cursor, which stays in it; a list that opens by these keys keeps them. */
  async function moveInBand(address: string, up: boolean, event: KeyboardEvent) {
    const { target } = event;
    const taken = event.defaultPrevented || target instanceof HTMLSelectElement;
    if (!open || taken || !(target instanceof HTMLElement)) return;
    event.preventDefault();
    move(address, open.question, up ? -1 : 1);
    await tick();
    target.focus();
  }

  function onbandkey(address: string, event: KeyboardEvent) {
    const up = event.key === 'ArrowUp';
    if (event.altKey && (up || event.key === 'ArrowDown'))
      return void moveInBand(address, up, event);
    if (event.key !== 'Escape' || !open) return;
    const cell = open;
    open = null;
    event.stopPropagation();
    void focusCell(cell);
  }
</script>

<div class="sheet" role="group" aria-label="Plan sheet">
  <div
    class="sheet-row sticky top-0 z-2 border-b border-line bg-paper text-[12px]/[16px] font-semibold text-soft [&_span]:p-2"
  >
    {#each questions as { key, label } (key)}<span>{label}</span>{/each}
  </div>
  {#each plan.sections as section (section.key)}
    {@const scope = scopeOf(section)}
    {@const sight = sights.get(scope)}
    <SectionHead
      {plan}
      {section}
      {tables}
      {onedit}
      live={liveScopes.get(scope) ?? null}
      liveAround={liveScopes.get(section.grid?.within ?? '') ?? null}
      onfocus={() => {
        if (!open) into = section.key;
      }}
    />
    <div
      class="min-h-2 outline-none"
      use:dndzone={{
        items: items(section),
        type: `fields ${scope}`,
        flipDurationMs: 0,
        dropTargetStyle: {},
        zoneTabIndex: -1,
        zoneItemTabIndex: -1,
      }}
      onconsider={(event) => consider(section.key, event)}
      onfinalize={(event) => finalize(section, event)}
    >
      {#each items(section) as { id, field } (id)}
        {@const address = addressOf(scope, field.key)}
        {@const editing = open?.field === address}
        <div
          role="group"
          aria-label="Line {field.label}"
          onmouseenter={() => onhover(address)}
          onmouseleave={() => onhover(null)}
        >
          {#if sight}<SheetLine
              {sight}
              {field}
              {address}
              {tables}
              {counts}
              open={editing && open ? open.question : null}
              lit={editing || lit === address}
              selected={selected.has(address)}
              onpress={(question, event) => onlinepress(address, question, event)}
              onkey={(question, event) => onlinekey(address, question, event)}
              stop={tabStop.field === address ? tabStop.question : null}
              onfocus={(question) => {
                [current, into] = [address, null];
                stop = { field: address, question };
              }}
            />{/if}
          {#if editing && open && sight}
            <!-- svelte-ignore a11y_no_static_element_interactions -->
            <div
              bind:this={band}
              data-band
              class="border-b border-line bg-wash px-7 pt-2.5 pb-3 text-[13.5px]"
              onkeydown={(event) => onbandkey(address, event)}
            >
              <LineBand
                {plan}
                {sight}
                {field}
                question={open.question}
                {tables}
                offered={offered(address)}
                live={liveScopes.get(scope) ?? null}
                {onedit}
                onmove={(by) => move(address, 'field', by)}
                oncopy={() => copy(address)}
                onremove={() => remove(address)}
                onrename={(to) => rename(address, to)}
              />
            </div>
          {/if}
        </div>
      {/each}
    </div>
  {/each}
  {#if selected.size > 1}
    <p class="quiet m-0 px-5 py-1" role="status">
      {selected.size} lines chosen: move them with Alt ↑ and Alt ↓, copy them with Ctrl D, remove them
      with Delete; Esc lets them go.
    </p>
  {/if}
  <AddField
    {plan}
    scope={sights.get(currentScope) ?? rootScope(plan)}
    {tables}
    onadd={add}
    onsection={onaddsection}
  />
  <SheetFoot {plan} {tables} live={liveScopes} {onedit} />
</div>
