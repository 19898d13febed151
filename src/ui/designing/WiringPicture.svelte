<script lang="ts">
  import { path as newPath } from 'd3-path';
  import { Button, Checkbox, Select } from '$lib/ui/parts';
  import type { WiredForm } from '$lib/core/wiring/form';
  import { drawWiring, lit, type PictureFlow, type PictureLine } from '$lib/core/wiring/picture';
  import { layWiring, rideOf, type Bus, type PlacedBox } from '$lib/core/wiring/picture-layout';
  import { listed, num, say } from '$lib/core/words/say';

  interface Props {
    form: WiredForm;
    /** How many records each table has, where that is known. */
    counts: ReadonlyMap<string, number>;
    /** The fields that changed last in the live form, the first one first. */
    path: readonly string[];
    /** The chosen box; `null` where none is. */
    chosen: string | null;
    onchoose: (id: string | null) => void;
    onopen: (field: string) => void;
  }
  let { form, counts, path, chosen, onchoose, onopen }: Props = $props();

  let frame = $state<HTMLDivElement>();
  let svg = $state<SVGSVGElement>();
  let room = $state(1240);
  /** Whether only what hangs together with the chosen field is drawn. */
  let only = $state(false);

  const picture = $derived(drawWiring(form, counts));
  const boxes = $derived(new Map(picture.boxes.map((box) => [box.id, box])));
  const held = $derived(chosen !== null && boxes.has(chosen) ? chosen : null);
  const light = $derived.by(() => {
    if (held !== null) return lit(picture, held);
    const known = new Set(path);
    const lines = picture.lines.filter(({ from, to }) => known.has(from) && known.has(to));
    return { boxes: known, lines: new Set(lines) };
  });
  const anyLit = $derived(light.boxes.size > 0);
  const laid = $derived(layWiring(picture, only && held !== null ? light.boxes : null));
  const ride = $derived(held === null ? null : rideOf(picture, held));
  const fields = $derived(picture.boxes.filter(({ what }) => what === 'field'));

  /** Each kind of flow by its word, and by a line of its own: colour, dashes, width. */
  const flows: { flow: PictureFlow; word: string; line: string; colour: string }[] = [
    {
      flow: 'choices',
      word: say('choices'),
      colour: 'var(--navy)',
      line: 'stroke-width: 1.5',
    },
    {
      flow: 'narrows',
      word: say('narrows'),
      colour: 'var(--marigold)',
      line: 'stroke-width: 1.8; stroke-dasharray: 7 4',
    },
    {
      flow: 'brings',
      word: say('brings'),
      colour: 'var(--moss)',
      line: 'stroke-width: 2; stroke-dasharray: 2 3',
    },
    {
      flow: 'computes',
      word: say('computes'),
      colour: 'var(--slate)',
      line: 'stroke-width: 1.2',
    },
    {
      flow: 'rules',
      word: say('rules'),
      colour: 'var(--crimson)',
      line: 'stroke-width: 1; stroke-dasharray: 9 3 2 3',
    },
    { flow: 'writes', word: say('writes'), colour: 'var(--ink)', line: 'stroke-width: 2.6' },
  ];
  const wordOf = $derived(new Map(flows.map(({ flow, word }) => [flow, word])));
  const colourOf = $derived(new Map(flows.map(({ flow, colour }) => [flow, colour])));
  const styleOf = $derived(new Map(flows.map((f) => [f.flow, `stroke: ${f.colour}; ${f.line}`])));

  /** Sizes in pixels: a row, a box in it, and the heads of the three columns above. */
  const step = 29;
  const tall = 25;
  const top = 36;
  const y = (row: number) => top + row * step;
  const middle = (row: number) => y(row) + tall / 2;

  const wide = $derived(Math.max(960, room));
  /** Where the columns of the drawing stand, and how wide they are. */
  const at = $derived({
    source: 24,
    sourceWide: Math.round(wide * 0.165),
    field: Math.round(wide * 0.381),
    fieldWide: Math.round(wide * 0.185),
    target: Math.round(wide * 0.731),
    targetWide: wide - Math.round(wide * 0.731) - 24,
  });
  const deepest = (buses: readonly Bus[]) => Math.max(0, ...buses.map(({ lane }) => lane + 1));
  /** The lanes left of the fields share the room with those of the sources. */
  const gutter = $derived(at.field - at.source - at.sourceWide);
  const gap = $derived(Math.min(24, (gutter - 90) / Math.max(1, deepest(laid.left))));
  const leftLane = (lane: number) => at.field - 22 - lane * gap;
  const readLane = (lane: number) => at.source + at.sourceWide + 14 + lane * 8;
  const writeLane = (lane: number) => at.target - 24 - lane * 10;

  const rowOf = $derived(
    new Map([
      ...[...laid.sources, ...laid.fields, ...laid.ends].map((b): [string, number] => [
        b.id,
        b.row,
      ]),
      ...laid.tables.map((t): [string, number] => [t.id, t.from]),
    ]),
  );

  interface Stroke {
    key: string;
    /** Lines that share an upright share a word. */
    bus: string;
    flow: PictureFlow;
    d: string;
    lit: boolean;
    title: string;
    /** Where its word stands, when it is lit. */
    word: { x: number; y: number; end: boolean } | null;
  }

  const titleOf = ({ from, flow, to }: PictureLine) =>
    `${boxes.get(from)?.label ?? ''} ${wordOf.get(flow) ?? ''} ${boxes.get(to)?.label ?? ''}`;

  /** A way with right angles and round corners, through an upright at `lane`. */
  function elbow(x1: number, y1: number, lane: number, y2: number, x2: number): string {
    const way = newPath();
    const radius = Math.min(5, Math.abs(y2 - y1) / 2);
    way.moveTo(x1, y1);
    way.arcTo(lane, y1, lane, y2, radius);
    way.arcTo(lane, y2, x2, y2, radius);
    way.lineTo(x2, y2);
    return way.toString();
  }

  const strokes = $derived.by(() => {
    const made: Stroke[] = [];
    const add = (line: PictureLine, d: string, word: Stroke['word']) =>
      made.push({
        key: `${line.from} ${line.to} ${line.flow}`,
        bus: `${line.from} ${line.flow}`,
        flow: line.flow,
        d,
        lit: light.lines.has(line),
        title: titleOf(line),
        word,
      });
    for (const line of laid.straight) {
      const writes = line.flow === 'writes';
      const row = middle(rowOf.get(writes ? line.from : line.to) ?? 0);
      const inner = laid.tables.some(({ id, depth }) => id === line.to && depth === 1);
      const x1 = writes ? at.field + at.fieldWide : at.source + at.sourceWide;
      const x2 = writes ? at.target + (inner ? 12 : 0) : at.field;
      const x = writes
        ? (x1 + writeLane(deepest(laid.writing))) / 2
        : (x1 + leftLane(deepest(laid.left))) / 2;
      add(line, `M${x1},${row}H${x2 - 5}`, { x, y: row, end: false });
    }
    for (const { lines, lane } of laid.left) {
      for (const line of lines) {
        const [from, to] = [rowOf.get(line.from) ?? 0, rowOf.get(line.to) ?? 0];
        const x = leftLane(lane);
        const d = elbow(at.field, middle(from) + 6, x, middle(to) - 6, at.field - 5);
        const [a, b] = [middle(from) + 6, middle(to) - 6];
        add(line, d, { x: x - 6, y: (a + b) / 2, end: true });
      }
    }
    for (const { lines, lane } of laid.reading) {
      for (const line of lines) {
        const [from, to] = [rowOf.get(line.from) ?? 0, rowOf.get(line.to) ?? 0];
        const start = at.source + at.sourceWide;
        add(line, elbow(start, middle(from), readLane(lane), middle(to), at.field - 5), null);
      }
    }
    for (const { lines, lane } of laid.writing) {
      for (const line of lines) {
        const [from, to] = [rowOf.get(line.from) ?? 0, rowOf.get(line.to) ?? 0];
        const start = at.field + at.fieldWide;
        const d = elbow(start, middle(from) + 6, writeLane(lane), middle(to), at.target - 5);
        add(line, d, null);
      }
    }
    // What is lit is drawn above the others.
    return made.sort((a, b) => Number(a.lit) - Number(b.lit));
  });

  /** The words of lit ways, each where no other one stands. */
  const words = $derived.by(() => {
    const taken: { x: number; y: number }[] = [];
    const told: string[] = [];
    return strokes.flatMap(({ key, bus, lit: shown, flow, word }) => {
      if (!shown || !word || held === null || told.includes(bus)) return [];
      if (taken.some((t) => Math.abs(t.x - word.x) < 70 && Math.abs(t.y - word.y) < 13)) return [];
      taken.push(word);
      told.push(bus);
      return [{ key, flow, ...word }];
    });
  });

  const cut = (text: string, width: number, letter = 7.4) => {
    const fits = Math.floor(width / letter);
    return text.length > fits ? `${text.slice(0, Math.max(1, fits - 1))}…` : text;
  };

  const placed = $derived([
    ...laid.sources.map((box) => ({ box, x: at.source, width: at.sourceWide })),
    ...laid.fields.map((box) => ({ box, x: at.field, width: at.fieldWide })),
    ...laid.ends.map((box) => ({ box, x: at.target, width: at.targetWide })),
  ]);
  type Placed = (typeof placed)[number];

  const says = {
    source: say('Read from'),
    field: say('Field'),
    target: say('Written to'),
  } as const;
  function nameOf({ what, label, scope, more }: PlacedBox): string {
    const grid = laid.headings.find((heading) => scope !== '' && heading.scope === scope)?.title;
    return [`${says[what]} ${label}`, grid, more].filter(Boolean).join(', ');
  }

  const stop = $derived(held ?? laid.fields[0]?.id ?? placed[0]?.box.id);

  function onboxkey(event: KeyboardEvent, { box, x }: Placed) {
    const column = placed.filter((other) => other.x === x);
    const place = column.findIndex((other) => other.box.id === box.id);
    const beside = (by: 1 | -1) =>
      placed
        .filter((other) => (by > 0 ? other.x > x : other.x < x))
        .sort(
          (a, b) =>
            Math.abs(a.x - x) - Math.abs(b.x - x) ||
            Math.abs(a.box.row - box.row) - Math.abs(b.box.row - box.row),
        )[0];
    const next = {
      ArrowDown: column[place + 1],
      ArrowUp: column[place - 1],
      ArrowRight: beside(1),
      ArrowLeft: beside(-1),
    }[event.key];
    if (next) svg?.querySelector<SVGGElement>(`[data-box="${CSS.escape(next.box.id)}"]`)?.focus();
    else if (event.key === 'Enter' || event.key === ' ') choose(box.id);
    else if (event.key === 'F2' && box.what === 'field') onopen(box.id);
    else if (event.key === 'Escape') onchoose(null);
    else return;
    event.preventDefault();
  }

  const choose = (id: string) => onchoose(held === id ? null : id);

  /** Brings what is chosen into sight. */
  $effect(() => {
    const row = held === null ? undefined : rowOf.get(held);
    if (row === undefined || !frame) return;
    const [above, below] = [y(row) - step, y(row) + 2 * step];
    if (above < frame.scrollTop || below > frame.scrollTop + frame.clientHeight) {
      frame.scrollTop = above - frame.clientHeight / 3;
    }
  });

  /** The drawing as an SVG file of its own, with the colours as they are. */
  function save() {
    if (!svg) return;
    const copy = svg.cloneNode(true) as SVGSVGElement;
    const all = [...svg.querySelectorAll<SVGElement>('rect, path, text')];
    copy.querySelectorAll<SVGElement>('rect, path, text').forEach((node, i) => {
      const from = all[i];
      if (!from) return;
      const style = getComputedStyle(from);
      for (const name of [
        'fill',
        'stroke',
        'stroke-width',
        'stroke-dasharray',
        'font-size',
        'font-family',
        'font-weight',
        'font-style',
        'opacity',
      ]) {
        node.style.setProperty(name, style.getPropertyValue(name));
      }
    });
    const text = new XMLSerializer().serializeToString(copy);
    const link = document.createElement('a');
    link.href = URL.createObjectURL(new Blob([text], { type: 'image/svg+xml' }));
    link.download = `${form.plan.title}.svg`;
    link.click();
    URL.revokeObjectURL(link.href);
  }
</script>

<div class="wiring flex h-full flex-col">
  <div bind:this={frame} bind:clientWidth={room} class="bg-sheet min-h-0 grow overflow-auto">
    <svg
      bind:this={svg}
      class={[anyLit && 'dimmed']}
      width={wide}
      height={y(laid.rows) + 16}
      viewBox="0 0 {wide} {y(laid.rows) + 16}"
      role="group"
      aria-label="Wiring of {form.plan.title}"
      xmlns="http://www.w3.org/2000/svg"
    >
      <defs>
        {#each flows as { flow, colour } (flow)}
          <marker
            id="tip-{flow}"
            viewBox="0 0 8 8"
            refX="3"
            refY="4"
            markerWidth={flow === 'writes' ? 3.4 : 6}
            markerHeight={flow === 'writes' ? 3.4 : 6}
            orient="auto"
          >
            <path d="M0,0L8,4L0,8Z" style:fill={colour} />
          </marker>
        {/each}
      </defs>
      <text class="head" x={at.source} y="20">Read from</text>
      <text class="head" x={at.field} y="20">Fields, in form order</text>
      <text class="head" x={at.target} y="20"
        >{form.plan.through ? say('Written back to') : say('Written to')}</text
      >

      {#each laid.tables as table (table.id)}
        {@const x = at.target + (table.depth === 1 ? 12 : 0)}
        {@const width = at.targetWide - (table.depth === 1 ? 24 : 0)}
        <g class={['table', anyLit && !light.boxes.has(table.id) && 'dim']}>
          <rect
            class="body"
            {x}
            y={y(table.from)}
            {width}
            height={y(table.to) - y(table.from) + tall + 8}
            rx="4"
          />
          <rect class="bar" {x} y={y(table.from)} {width} height={tall - 4} rx="3" />
          <text class="onbar" x={x + 12} y={y(table.from) + 15}
            >{cut(table.label, width * 0.4)}</text
          >
          <text class="onbar more" x={x + width - 12} y={y(table.from) + 15} text-anchor="end">
            {cut(table.more, width * 0.6, 6)}
          </text>
        </g>
      {/each}
      {#each laid.columns as column (`${column.field} ${column.target}`)}
        {@const inner = laid.tables.some(({ id, depth }) => id === column.target && depth === 1)}
        {@const x = at.target + (inner ? 24 : 12)}
        <g class={['column', anyLit && !light.boxes.has(column.field) && 'dim']}>
          <text
            class={light.boxes.has(column.field) ? 'strong' : ''}
            {x}
            y={middle(column.row) + 4}
          >
            {cut(column.label, at.targetWide * 0.55)}
          </text>
          <text
            class="more"
            x={at.target + at.targetWide - (inner ? 24 : 12)}
            y={middle(column.row) + 4}
            text-anchor="end">{column.more}</text
          >
        </g>
      {/each}
      {#each laid.grids as grid (grid.id)}
        <rect
          class="grid"
          x={at.field - 76}
          y={y(grid.from) - 2}
          width={at.fieldWide + 92}
          height={y(grid.to) - y(grid.from) + tall + 8}
          rx="4"
        />
      {/each}
      {#each laid.headings as heading (heading.row)}
        <text class="heading" x={at.field} y={y(heading.row) + 18}
          >{cut(heading.title, at.fieldWide)}</text
        >
      {/each}
      {#each strokes as { key, flow, d, lit: shown, title } (key)}
        <path
          {d}
          class={['flow', shown && 'lit']}
          style={styleOf.get(flow)}
          marker-end="url(#tip-{flow})"
        >
          <title>{title}</title>
        </path>
      {/each}
      {#each words as { key, flow, x, y: down, end } (key)}
        <text
          class="word"
          style:fill={colourOf.get(flow)}
          {x}
          y={down + 4}
          text-anchor={end ? 'end' : 'middle'}>{wordOf.get(flow)}</text
        >
      {/each}
      {#each placed as one (one.box.id)}
        {@const { box, x, width } = one}
        <g
          class={['box', box.what, light.boxes.has(box.id) && 'lit', held === box.id && 'chosen']}
          class:unsaved={box.what === 'field' && !box.saved}
          data-box={box.id}
          transform="translate({x},{y(box.row)})"
          role="button"
          tabindex={box.id === stop ? 0 : -1}
          aria-pressed={held === box.id}
          aria-label={nameOf(box)}
          onclick={() => choose(box.id)}
          ondblclick={() => box.what === 'field' && onopen(box.id)}
          onkeydown={(event) => onboxkey(event, one)}
        >
          <rect {width} height={tall} rx="4" />
          <text x="12" y="17"
            >{cut(box.label, width - (box.more ? 20 + box.more.length * 6.4 : 20))}</text
          >
          <text class="more" x={width - 10} y="17" text-anchor="end">{box.more}</text>
        </g>
      {/each}
    </svg>
  </div>
  <div
    class="border-line bg-paper flex flex-wrap items-center gap-x-6 gap-y-2 border-t px-5 py-2.5"
  >
    <Select
      class="w-44!"
      aria-label="What rides on"
      value={held ?? ''}
      onchange={(event) => onchoose(event.currentTarget.value || null)}
    >
      <option value="">Choose a field</option>
      {#each fields as field (field.id)}<option value={field.id}>{field.label}</option>{/each}
    </Select>
    <p class="m-0 min-w-60 flex-1" aria-live="polite">
      {#if ride && held !== null}
        {#if ride.from.length > 0}Reads {listed(ride.from)}.{/if}
        {#if ride.broughtBy.length > 0}Brought by <b>{listed(ride.broughtBy)}</b>.{/if}
        {#if ride.computedFrom.length > 0}Computed from <b>{listed(ride.computedFrom)}</b>.{/if}
        {#if ride.narrowedBy.length > 0}Narrowed by <b>{listed(ride.narrowedBy)}</b>.{/if}
        {#if ride.further.length > 0}Through them it follows <b>{listed(ride.further)}</b>.{/if}
        {#if ride.carries.length > 0}
          It feeds <b>{listed(ride.carries)}</b>{#if ride.carriesFurther.length > 0}, and through
            them
            <b>{listed(ride.carriesFurther)}</b>{/if}:
        {/if}
        {num(ride.saved.reached)} of {num(ride.saved.all)} saved values.
        {#if boxes.get(held)?.what === 'field'}
          <Button kind="link" onclick={() => held !== null && onopen(held)}
            >Show in the sheet</Button
          >
        {/if}
      {:else}
        <span class="quiet"
          >Choose a field to see what it follows from and what follows from it.</span
        >
      {/if}
    </p>
    {#if held !== null}
      <label class="flex items-center gap-2"><Checkbox bind:checked={only} /> only these</label>
    {/if}
    <Button kind="link" onclick={save}>Save picture</Button>
    <div class="grid grid-cols-3 gap-x-5 text-[12.5px] font-semibold max-md:hidden">
      {#each flows as { flow, word } (flow)}
        <span class="flex items-center gap-1.5">
          <svg width="32" height="8" aria-hidden="true"
            ><path d="M0,4H32" class="flow" style={styleOf.get(flow)} /></svg
          >
          {word}
        </span>
      {/each}
    </div>
  </div>
</div>

<style>
  svg {
    display: block;
  }
  text {
    font: 13.5px var(--font-sans);
    fill: var(--ink);
  }
  .head {
    font-size: 12px;
    font-weight: 600;
    letter-spacing: 0.08em;
    text-transform: uppercase;
    fill: var(--ink-soft);
  }
  .heading {
    font: 600 15px var(--font-serif);
  }
  .more {
    font-size: 12.5px;
    fill: var(--ink-soft);
  }
  .strong,
  .lit text:not(.more) {
    font-weight: 600;
  }
  .flow {
    fill: none;
  }
  .word {
    font-size: 12.5px;
    font-weight: 600;
    stroke: var(--sheet);
    stroke-width: 5;
    paint-order: stroke;
  }
  .box {
    cursor: pointer;
    outline: none;
  }
  .box rect {
    fill: var(--sheet);
    stroke: var(--slate);
  }
  .source rect,
  .target rect {
    fill: var(--paper);
  }
  .unsaved rect {
    stroke-dasharray: 3 3;
  }
  .unsaved .more {
    font-style: italic;
  }
  .box:focus-visible rect,
  .chosen rect {
    stroke: var(--marigold);
    stroke-width: 2;
    stroke-dasharray: none;
  }
  .chosen rect {
    fill: var(--marigold-wash);
  }
  .table .body {
    fill: var(--sheet);
    stroke: var(--navy);
  }
  .table .bar {
    fill: var(--navy);
  }
  .onbar {
    fill: var(--on-navy, #fff);
    font-weight: 600;
  }
  .onbar.more {
    font-weight: 400;
  }
  .grid {
    fill: var(--paper);
    stroke: var(--line);
  }
  .dimmed .flow:not(.lit) {
    opacity: 0.28;
  }
  .dimmed .box:not(.lit),
  .dim {
    opacity: 0.55;
  }
</style>
