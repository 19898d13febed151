<script lang="ts">
  import { Button } from '$lib/ui/parts';
  import { select } from 'd3-selection';
  import { linkHorizontal } from 'd3-shape';
  import { zoom, zoomIdentity, type ZoomBehavior } from 'd3-zoom';
  import type { WiredForm } from '$lib/core/wiring/form';
  import {
    boxHeight,
    boxWidth,
    drawWiring,
    lit,
    type PictureBox,
    type PictureFlow,
    type PictureLine,
  } from '$lib/core/wiring/picture';

  interface Props {
    form: WiredForm;
    /** The fields that changed last in the live form, the first one first. */
    path: readonly string[];
    onopen: (field: string) => void;
  }
  let { form, path, onopen }: Props = $props();

  let chosen = $state<string | null>(null);
  let svg = $state<SVGSVGElement>();
  let shift = $state({ x: 0, y: 0, k: 1 });
  /** At this scale labels are 12 px. */
  const readable = 0.86;
  let zooming: ZoomBehavior<SVGSVGElement, unknown> | undefined;

  const picture = $derived(drawWiring(form));
  const boxes = $derived(new Map(picture.boxes.map((box) => [box.id, box])));
  const light = $derived(
    chosen !== null && boxes.has(chosen)
      ? lit(picture, chosen)
      : { boxes: new Set(path), lines: new Set(followed(path)) },
  );
  const anyLit = $derived(light.boxes.size > 0);
  const flows: { flow: PictureFlow; word: string }[] = [
    { flow: 'choices', word: 'choices' },
    { flow: 'narrows', word: 'narrows' },
    { flow: 'brings', word: 'brings' },
    { flow: 'computes', word: 'computes' },
    { flow: 'rules', word: 'rules' },
    { flow: 'writes', word: 'writes' },
  ];

  const curve = linkHorizontal<unknown, { x: number; y: number }>()
    .x((point) => point.x)
    .y((point) => point.y);

  function followed(fields: readonly string[]): PictureLine[] {
    const known = new Set(fields);
    return picture.lines.filter(({ from, to }) => known.has(from) && known.has(to));
  }

  function drawn({ from, to }: PictureLine): string {
    const [a, b] = [boxes.get(from), boxes.get(to)];
    if (!a || !b) return '';
    const [source, target] = [
      { x: a.x + boxWidth, y: a.y + boxHeight / 2 },
      { x: b.x, y: b.y + boxHeight / 2 },
    ];
    // Within one column, or backwards: around the right side.
    if (target.x <= source.x) {
      const out = Math.max(a.x, b.x) + boxWidth + 36;
      const end = { x: b.x + boxWidth, y: target.y };
      return `M${source.x},${source.y}C${out},${source.y} ${out},${end.y} ${end.x},${end.y}`;
    }
    return curve({ source, target } as never) ?? '';
  }

  function pan(node: SVGSVGElement) {
    zooming = zoom<SVGSVGElement, unknown>()
      .scaleExtent([0.2, 2])
      .on('zoom', ({ transform }) => (shift = { x: transform.x, y: transform.y, k: transform.k }));
    select(node).call(zooming).on('dblclick.zoom', null);
    fit(readable);
  }

  /** Shows the whole drawing; at first no smaller than can be read, from its left end. */
  function fit(least: number) {
    if (!svg || !zooming) return;
    const { width, height } = svg.getBoundingClientRect();
    const k = Math.min(1, (width - 48) / picture.width, (height - 24) / picture.height);
    const scale = Math.max(least, k);
    const x = Math.max(24, (width - picture.width * scale) / 2);
    const y = Math.max(12, (height - picture.height * scale) / 2);
    select(svg).call((s) => zooming?.transform(s, zoomIdentity.translate(x, y).scale(scale)));
  }

  const cut = (words: string) => (words.length > 17 ? `${words.slice(0, 16)}…` : words);

  function scale(by: number) {
    if (svg && zooming) select(svg).call((s) => zooming?.scaleBy(s, by));
  }

  function onboxkey(event: KeyboardEvent, box: PictureBox) {
    const column = picture.boxes.filter((b) => b.x === box.x);
    const nearest = (x: number) =>
      picture.boxes
        .filter((b) => (x > 0 ? b.x > box.x : b.x < box.x))
        .sort(
          (a, b) =>
            Math.abs(a.x - box.x) - Math.abs(b.x - box.x) ||
            Math.abs(a.y - box.y) - Math.abs(b.y - box.y),
        )[0];
    const place = column.indexOf(box);
    const next = {
      ArrowDown: column[place + 1],
      ArrowUp: column[place - 1],
      ArrowRight: nearest(1),
      ArrowLeft: nearest(-1),
    }[event.key];
    if (next) focusBox(next.id);
    else if (event.key === 'Enter' || event.key === ' ') chosen = chosen === box.id ? null : box.id;
    else if (event.key === 'F2' && box.what === 'field') onopen(box.id);
    else if (event.key === 'Escape') chosen = null;
    else if (event.key === '+' || event.key === '-') scale(event.key === '+' ? 1.2 : 1 / 1.2);
    else return;
    event.preventDefault();
  }

  function focusBox(id: string) {
    svg?.querySelector<SVGGElement>(`[data-box="${CSS.escape(id)}"]`)?.focus();
  }

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
        'opacity',
      ]) {
        node.style.setProperty(name, style.getPropertyValue(name));
      }
    });
    copy.querySelector('g')?.removeAttribute('transform');
    copy.setAttribute('viewBox', `-24 -24 ${picture.width + 96} ${picture.height + 48}`);
    const text = new XMLSerializer().serializeToString(copy);
    const link = document.createElement('a');
    link.href = URL.createObjectURL(new Blob([text], { type: 'image/svg+xml' }));
    link.download = `${form.plan.title}.svg`;
    link.click();
    URL.revokeObjectURL(link.href);
  }
</script>

<div class="flex h-full flex-col">
  <div
    class="border-line flex flex-wrap items-center gap-x-5 gap-y-1 border-b px-5 py-2 text-[13px]"
  >
    {#each flows as { flow, word } (flow)}
      <span class="flex items-center gap-1.5">
        <svg width="34" height="8" aria-hidden="true">
          <path d="M0,4H34" class="flow {flow}" />
        </svg>
        {word}
      </span>
    {/each}
    <span class="ms-auto flex gap-3">
      <Button kind="link" onclick={() => scale(1.2)}>Larger</Button>
      <Button kind="link" onclick={() => scale(1 / 1.2)}>Smaller</Button>
      <Button kind="link" onclick={() => fit(0.2)}>Whole</Button>
      <Button kind="link" onclick={save}>Take out as SVG</Button>
    </span>
  </div>
  <svg
    bind:this={svg}
    class="min-h-0 grow"
    class:dimmed={anyLit}
    role="group"
    aria-label="Wiring of {form.plan.title}"
    xmlns="http://www.w3.org/2000/svg"
    {@attach pan}
  >
    <g transform="translate({shift.x},{shift.y}) scale({shift.k})">
      {#each picture.lines as line, i (i)}
        <path d={drawn(line)} class="flow {line.flow}" class:lit={light.lines.has(line)}>
          <title>{boxes.get(line.from)?.label} {line.flow} {boxes.get(line.to)?.label}</title>
        </path>
      {/each}
      {#each picture.boxes as box, i (box.id)}
        <g
          class="box {box.what}"
          class:lit={light.boxes.has(box.id)}
          class:chosen={chosen === box.id}
          data-box={box.id}
          transform="translate({box.x},{box.y})"
          role="button"
          tabindex={i === 0 ? 0 : -1}
          aria-pressed={chosen === box.id}
          aria-label="{box.what === 'field' ? 'Field' : 'Table'} {box.label}{box.more
            ? `, ${box.more}`
            : ''}"
          onclick={() => (chosen = chosen === box.id ? null : box.id)}
          ondblclick={() => box.what === 'field' && onopen(box.id)}
          onkeydown={(event) => onboxkey(event, box)}
        >
          <rect width={boxWidth} height={boxHeight} rx="4" />
          <text x="10" y={box.more ? 17 : 25}>{cut(box.label)}</text>
          {#if box.more}<text class="more" x="10" y="32">{cut(box.more)}</text>{/if}
        </g>
      {/each}
    </g>
  </svg>
</div>

<style>
  .flow {
    fill: none;
    stroke-width: 1.4;
  }
  .choices {
    stroke: var(--navy);
  }
  .narrows {
    stroke: var(--marigold);
    stroke-dasharray: 7 4;
  }
  .brings {
    stroke: var(--moss);
    stroke-dasharray: 2 3;
    stroke-width: 2;
  }
  .computes {
    stroke: var(--slate);
    stroke-width: 1;
  }
  .rules {
    stroke: var(--crimson);
    stroke-width: 1;
    stroke-dasharray: 1 4;
  }
  .writes {
    stroke: var(--ink);
    stroke-width: 2.4;
    opacity: 0.4;
  }
  .box {
    cursor: pointer;
    outline: none;
  }
  .box rect {
    fill: var(--sheet);
    stroke: var(--edge);
  }
  .source rect,
  .target rect {
    fill: var(--paper);
  }
  .target rect {
    stroke: var(--ink);
    stroke-width: 1.6;
  }
  .box text {
    fill: var(--ink);
    font: 500 14px var(--font-sans);
  }
  .box .more {
    fill: var(--ink-soft);
    font-size: 14px;
    font-weight: 400;
  }
  .box:focus-visible rect,
  .chosen rect {
    stroke: var(--marigold);
    stroke-width: 2.5;
  }
  .flow.lit {
    opacity: 1;
  }
  .dimmed .flow:not(.lit) {
    opacity: 0.14;
  }
  .dimmed .box:not(.lit) {
    opacity: 0.45;
  }
</style>
