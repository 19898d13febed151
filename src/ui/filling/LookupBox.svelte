<script lang="ts">
  import { num } from '$lib/core/words/say';
  import { reader } from '$lib/core/words/reader';
  import { Button, Input, standsAt } from '$lib/ui/parts';
  import { untrack } from 'svelte';
  import type { Choice, Offer } from '$lib/core/entry/asks';
  import { problem, type Problem } from '$lib/core/problems';
  import { formatValue } from '$lib/core/values/format';
  import { isAmount, type ValueType } from '$lib/core/values/types';
  import { holdsPending, stillSettling } from '$lib/ui/shared/pending';
  import { ago } from '$lib/ui/shared/ago';
  import { markedParts } from './marked';

  interface Props {
    id: string;
    /** The chosen value in one line; empty where there is none. */
    shown: string;
    columns: readonly { label: string; type: ValueType }[];
    /** Reads a page of the list as it is now. */
    list: (search: string, after?: string) => Promise<Offer | Problem>;
    /** What is chosen now: the list opens at it. */
    current?: Choice['value'] | null;
    required?: boolean;
    onchoose: (choice: Choice | null) => void;
    /** Takes a text that names nothing in the list: it stays in the field, marked. */
    ontext?: (text: string) => void;
    placeholder?: string;
    disabled?: boolean;
    invalid?: boolean;
    describedby?: string;
    why?: (offer: Offer) => string[];
    label: string;
    /** Whether the label stands nowhere beside it, so that the input must carry it. */
    named?: boolean;
    /** Opens the list as a table beside the form. */
    onpick?: (text: string) => void;
    /** Opens a new record beside the form. */
    onadd?: (text: string) => void;
  }
  let {
    id,
    shown,
    columns,
    list,
    current = null,
    required = false,
    onchoose,
    ontext,
    placeholder = '',
    disabled = false,
    invalid = false,
    describedby,
    why = () => [],
    label,
    named = false,
    onpick,
    onadd,
  }: Props = $props();

  let open = $state(false);
  /** What is being typed; null while nothing is. */
  let typed = $state<string | null>(null);
  let offer = $state.raw<Offer | null>(null);
  let choices = $state.raw<Choice[]>([]);
  let failure = $state.raw<Problem | null>(null);
  let loading = $state(false);
  let active = $state(0);
  let input = $state<HTMLInputElement>();
  let popup = $state<HTMLDivElement>();
  let asked = 0;
  /** The search that the choices answer; only for that one are they taken from. */
  let answered: string | null = null;
  /** A text that names nothing, and that nobody takes: it stays here. */
  let unknown = $state<string | null>(null);
  let timer: ReturnType<typeof setTimeout> | undefined;
  /** Whether what is typed waits for its search. */
  let pending = false;

  /** Each column as wide as its longest text so far needs, within bounds. */
  const grid = $derived(
    columns
      .map(({ label, type }, i) => {
        const lengths = choices.map((c) => partText(type, c.shown[i] ?? null).length);
        const longest = Math.max(label.length, ...lengths);
        return `minmax(0, ${Math.min(Math.max(longest, 5), 40)}fr)`;
      })
      .join(' '),
  );

  function partText(type: ValueType | undefined, part: Choice['shown'][number]): string {
    if (part === null) return '–';
    return type ? formatValue(type, part, reader()) : String(part);
  }

  async function load(search: string, after?: string) {
    const turn = ++asked;
    loading = true;
    const read = await list(search, after);
    if (turn !== asked) return;
    loading = false;
    if ('code' in read) {
      failure = read;
      // What was found for an older text is no answer to this one.
      if (!after) [choices, offer, answered] = [[], null, null];
      return;
    }
    failure = null;
    if (!after) answered = search;
    choices = after ? [...choices, ...read.choices] : read.choices;
    offer = after && offer ? { ...read, found: offer.found, more: offer.more } : read;
    if (!after) active = typed === null && current !== null ? placeOf(current) : 0;
  }

  /** Where a choice stands in the list; nowhere (-1) where it has not come yet. */
  const placeOf = (value: Choice['value']) => choices.findIndex((choice) => choice.value === value);

  function show() {
    if (disabled || open) return;
    open = true;
    void load(typed ?? '');
  }

  function hide() {
    open = false;
    asked++;
    clearTimeout(timer);
    pending = false;
    typed = null;
    offer = null;
    choices = [];
    answered = null;
    failure = null;
  }

  /**
   * Takes the first choice for what is typed as soon as it is found: Enter and Tab may come before the
   * answer, and what the list shows then belongs to something typed earlier.
   */
  async function chooseFound(leaving: boolean) {
    clearTimeout(timer);
    pending = false;
    const search = typed ?? '';
    if (leaving) open = false;
    if (answered !== search) await load(search);
    if (typed !== search) return;
    const [first] = choices;
    if (first && answered === search) choose(first);
    else if (leaving) leaveText(search);
  }

  /** What names nothing in the list, or could not be looked up, stays as it was typed. */
  function leaveText(text: string) {
    hide();
    if (ontext) ontext(text);
    else unknown = text;
  }

  /** Makes what is typed a choice, or leaves it marked. */
  async function settle(): Promise<Problem | null> {
    if (typed !== null) await stillSettling(finished());
    if (unknown === null) return null;
    return problem('unknown_match', { given: unknown, table: label, column: 'what is shown' });
  }
  holdsPending(settle);

  function choose(choice: Choice | null) {
    hide();
    unknown = null;
    onchoose(choice);
  }

  function oninput(event: Event & { currentTarget: HTMLInputElement }) {
    typed = event.currentTarget.value;
    unknown = null;
    open = true;
    clearTimeout(timer);
    const search = typed;
    pending = true;
    timer = setTimeout(() => {
      pending = false;
      void load(search);
    }, 120);
  }

  /** Alt+P shows the list as a table, Alt+A adds a new one. */
  function besides(event: KeyboardEvent): boolean {
    const steps: Record<string, ((text: string) => void) | undefined> = { p: onpick, a: onadd };
    const step = steps[event.key.toLowerCase()];
    if (!event.altKey || !step) return false;
    event.preventDefault();
    event.stopPropagation();
    const text = typed ?? '';
    hide();
    step(text);
    return true;
  }

  function onkeydown(event: KeyboardEvent) {
    if (disabled || event.ctrlKey || event.metaKey || besides(event)) return;
    const { key } = event;
    if (key === 'ArrowDown' || key === 'ArrowUp') {
      event.preventDefault();
      if (!open) return show();
      move(key === 'ArrowDown' ? 1 : -1);
    } else if (key === 'Enter' && open) {
      event.preventDefault();
      event.stopPropagation();
      const choice = choices[active];
      if (typed === '' && shown !== '') choose(null);
      else if (typed !== null && answered !== typed) void stillSettling(chooseFound(false));
      else if (typed === null && (!choice || choice.value === current)) hide();
      else if (choice && !loading) choose(choice);
    } else if (key === 'Escape' && open) {
      event.preventDefault();
      event.stopPropagation();
      hide();
    } else if (key === 'Tab' && open) {
      void stillSettling(finished());
    } else if (key === 'Delete' && !open && shown !== '') {
      choose(null);
    }
  }

  /** Leaving the box: a typed search takes its first choice, an emptied box empties the field. */
  function finished(): Promise<void> {
    // Tab and the leaving that follows it are one.
    finishing ??= finish().finally(() => (finishing = null));
    return finishing;
  }
  let finishing: Promise<void> | null = null;

  async function finish() {
    const choice = choices[active];
    if (typed === null) hide();
    else if (typed.trim() === '') choose(null);
    else if (answered === typed && !pending && choice) choose(choice);
    else await chooseFound(true);
  }

  function move(by: number) {
    active = Math.max(0, Math.min(active + by, choices.length - 1));
    popup?.querySelector(`#${id}-o${active}`)?.scrollIntoView({ block: 'nearest' });
    if (active >= choices.length - 3) more();
  }

  function more() {
    if (!loading && offer?.next) void load(typed ?? '', offer.next);
  }

  function onscroll(event: Event & { currentTarget: HTMLDivElement }) {
    const { scrollTop, clientHeight, scrollHeight } = event.currentTarget;
    if (scrollTop + clientHeight > scrollHeight - 80) more();
  }

  // What comes while the cursor is in the box, and nothing is typed yet, is typed over like all that stands there.
  $effect(() => {
    void shown;
    if (untrack(() => typed) === null && document.activeElement === input) input?.select();
  });
</script>

<div class="relative">
  <Input
    bind:element={input}
    {id}
    class="pe-7"
    role="combobox"
    aria-label={named ? label : undefined}
    autocomplete="off"
    spellcheck="false"
    aria-expanded={open}
    aria-controls="{id}-list"
    aria-autocomplete="list"
    aria-activedescendant={open && choices[active] ? `${id}-o${active}` : undefined}
    aria-invalid={invalid || unknown !== null}
    aria-describedby={describedby}
    aria-disabled={disabled}
    aria-required={required}
    readonly={disabled}
    {placeholder}
    value={typed ?? unknown ?? shown}
    {oninput}
    {onkeydown}
    onclick={show}
    onblur={() => (typed !== null || open ? void stillSettling(finished()) : undefined)}
    onfocus={(event) => event.currentTarget.select()}
  />
  <span
    class="text-soft pointer-events-none absolute top-1.5 right-2.5 text-[11px]"
    aria-hidden="true">▾</span
  >
  {#if unknown !== null}
    <span class="text-crimson text-[12.5px]" role="status"
      >“{unknown}” does not match anything in the list.</span
    >
  {/if}
</div>

{#if open}
  <div
    bind:this={popup}
    class="border-line bg-sheet z-50 rounded border shadow-lg"
    {@attach standsAt(
      () => input,
      (width) => Math.max(width, Math.min(640, columns.length * 200)),
    )}
  >
    {#if columns.length > 1 && choices.length > 0}
      <div
        class="text-soft border-line grid gap-3 border-b px-3 py-1.5 text-[12px] font-semibold"
        style="grid-template-columns: {grid}"
        aria-hidden="true"
      >
        {#each columns as { label, type }, i (i)}
          <span class={isAmount(type) ? 'text-right' : ''}>{label}</span>
        {/each}
      </div>
    {/if}
    <div
      id="{id}-list"
      class="max-h-72 overflow-y-auto"
      role="listbox"
      tabindex={-1}
      aria-label="Choices of {label}"
      {onscroll}
    >
      {#each choices as choice, i (i)}
        <div
          id="{id}-o{i}"
          role="option"
          tabindex={-1}
          aria-selected={i === active}
          class="grid min-h-8 cursor-pointer items-center gap-3 px-3 py-1 text-[13.5px]"
          style="grid-template-columns: {grid}; {i === active
            ? 'background: var(--marigold-wash); box-shadow: inset 3px 0 0 var(--marigold)'
            : ''}"
          onmousedown={(event) => {
            event.preventDefault();
            choose(choice);
          }}
          onmousemove={() => (active = i)}
        >
          {#each choice.shown as part, k (k)}
            {@const type = columns[k]?.type}
            {@const text = partText(type, part)}
            {#if k === 0 && current !== null && choice.value === current}
              <span class="sr-only">chosen now:</span>
            {/if}
            <span
              class="truncate {current !== null && choice.value === current
                ? 'font-semibold'
                : ''} {type && isAmount(type) ? 'text-right' : ''}"
              title={text}
            >
              {#each markedParts(text, typed ?? '') as piece, m (m)}{#if piece.marked}<mark
                    >{piece.text}</mark
                  >{:else}{piece.text}{/if}{/each}
            </span>
          {/each}
        </div>
      {/each}
    </div>
    <div
      class="border-line-soft text-soft px-3 py-1.5 text-[12.5px] {choices.length > 0
        ? 'border-t'
        : ''}"
      role="status"
    >
      {#if failure}
        <span class="text-crimson">{failure.message}</span> {failure.hint}
      {:else if loading && choices.length === 0}
        Loading…
      {:else if offer && choices.length === 0}
        <div class="text-ink">No choices.</div>
        {#each why(offer) as line (line)}<div>{line}</div>{/each}
      {:else if offer}
        {num(choices.length)} of {offer.more ? 'more than ' : ''}{num(offer.found)}
        shown{offer.at !== undefined && !offer.took
          ? ` · from outside ${ago(offer.at)}`
          : offer.took === undefined
            ? ''
            : ` · ${Math.max(1, Math.round(offer.took))} ms`}
      {/if}
      {#if offer && (onpick || onadd)}
        <div class="mt-1 flex gap-4">
          {#if onpick && offer.found > 0}
            <Button
              kind="link"
              tabindex={-1}
              onmousedown={(event) => {
                event.preventDefault();
                const text = typed ?? '';
                hide();
                onpick(text);
              }}>Browse all <kbd>Alt P</kbd></Button
            >
          {/if}
          {#if onadd}
            <Button
              kind="link"
              tabindex={-1}
              onmousedown={(event) => {
                event.preventDefault();
                const text = typed ?? '';
                hide();
                onadd(text);
              }}>Add new <kbd>Alt A</kbd></Button
            >
          {/if}
        </div>
      {/if}
    </div>
  </div>
{/if}
