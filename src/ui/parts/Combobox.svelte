<!--
  The one combobox (WAI-ARIA, editable with list autocomplete): what can be chosen is searched while one types, comes in
  pages, and is taken only when it answers what was typed last.
-->
<script lang="ts" generics="F extends Found<unknown>">
  import { say } from '$lib/core/words/say';
  import { tick, untrack, type Snippet } from 'svelte';
  import { problem, type Problem } from '$lib/core/problems';
  import { holdsPending, stillSettling } from '$lib/ui/shared/pending';
  import type { Found, Searched } from './combobox';
  import { standsAt } from './floating';
  import Input from './Input.svelte';

  type T = F['choices'][number];

  interface Props {
    id: string;
    label: string;
    /** Whether the label stands nowhere beside it, so that the input must carry it. */
    named?: boolean;
    /** The chosen one in one line; empty where there is none. */
    shown: string;
    /** Gives a page of what can be chosen now. */
    /** `signal` says when the answer is not wanted any more. */
    find: (search: string, after?: string, signal?: AbortSignal) => Promise<F | Problem>;
    /** Whether a choice is what is chosen now: the list opens at it. */
    isCurrent?: (choice: T) => boolean;
    /** Takes a choice; `null` where the box was emptied. */
    onchoose: (choice: T | null) => void;
    /** Takes a text that names nothing in the list: it stays in the box, marked. */
    ontext?: ((text: string) => void) | undefined;
    /** Whether something is always chosen: an emptied box keeps what it had. */
    keeps?: boolean;
    /** The heading above a choice, where it differs from that of the one before. */
    groupOf?: (choice: T) => string;
    /** What Alt and a letter do besides, with what was typed. */
    besides?: Record<string, ((text: string) => void) | undefined>;
    /** Milliseconds after the last letter until it is searched. */
    patience?: number;
    /** The list's width in pixels, by that of the box. */
    width?: (box: number) => number;
    /** Whether the list stands open under the box, instead of above all else. */
    inline?: boolean;
    /** Whether the cursor begins here. */
    starts?: boolean;
    placeholder?: string;
    disabled?: boolean;
    invalid?: boolean;
    required?: boolean;
    describedby?: string | undefined;
    class?: string;
    head?: Snippet<[readonly T[]]>;
    option: Snippet<[T, { typed: string; current: boolean; choices: readonly T[] }]>;
    foot?: Snippet<[Searched<F>]>;
  }
  let {
    id,
    label,
    named = false,
    shown,
    find,
    isCurrent = () => false,
    onchoose,
    ontext,
    keeps = false,
    groupOf,
    besides = {},
    patience = 120,
    width = (box) => box,
    inline = false,
    starts = false,
    placeholder = '',
    disabled = false,
    invalid = false,
    required = false,
    describedby,
    class: given = '',
    head,
    option,
    foot,
  }: Props = $props();

  let open = $state(false);
  /** What is being typed; null while nothing is. */
  let typed = $state<string | null>(null);
  let found = $state.raw<F | null>(null);
  let choices = $state.raw<readonly T[]>([]);
  let failure = $state.raw<Problem | null>(null);
  let loading = $state(false);
  let active = $state(0);
  let input = $state<HTMLInputElement>();
  let list = $state<HTMLDivElement>();
  let asked = 0;
  /** What is being found now. */
  let going: AbortController | undefined;
  /** The search that the choices answer; only for that one are they taken from. */
  let answered: string | null = null;
  /** A text that names nothing, and that nobody takes: it stays here. */
  let unknown = $state<string | null>(null);
  let timer: ReturnType<typeof setTimeout> | undefined;
  /** Whether what is typed waits for its search. */
  let pending = false;

  async function load(search: string, after?: string) {
    const turn = ++asked;
    loading = true;
    going?.abort();
    going = new AbortController();
    const read = await find(search, after, going.signal);
    if (turn !== asked) return;
    loading = false;
    if ('code' in read) {
      failure = read;
      // What was found for an older text is no answer to this one.
      if (!after) [choices, found, answered] = [[], null, null];
      return;
    }
    failure = null;
    if (!after) answered = search;
    choices = after ? [...choices, ...read.choices] : read.choices;
    found = after && found ? { ...found, next: read.next, looked: read.looked } : read;
    void tick().then(fillSight);
    if (after) return;
    active = typed === null && shown !== '' ? choices.findIndex(isCurrent) : 0;
    if (active > 0) void tick().then(bringIntoSight);
  }

  /** Whether the choices are those of what is typed now; further pages of them may still come. */
  const isAnswered = () => answered === (typed ?? '');

  /** Whether a search that has found nothing has only come a part of its way. */
  const isStillLooking = () =>
    isAnswered() && failure === null && choices.length === 0 && Boolean(found?.next);

  function show() {
    if (disabled || open) return;
    open = true;
    void load(typed ?? '');
  }

  function hide() {
    open = false;
    asked++;
    going?.abort();
    clearTimeout(timer);
    pending = false;
    typed = null;
    found = null;
    choices = [];
    answered = null;
    failure = null;
  }

  /** Closes the list for something else to open, and gives what was typed. */
  function leave(): string {
    const text = typed ?? '';
    hide();
    return text;
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
    while (typed === search && isStillLooking()) await load(search, found?.next ?? undefined);
    if (typed !== search) return;
    const [first] = choices;
    if (first !== undefined && answered === search) choose(first);
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
    return problem('unknown_match', { given: unknown, table: label, column: say('what is shown') });
  }
  holdsPending(settle);

  function choose(choice: T | null) {
    hide();
    unknown = null;
    if (choice !== null || !keeps) onchoose(choice);
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
    }, patience);
  }

  /** Alt and a letter: what there is to do besides choosing. */
  function goesBesides(event: KeyboardEvent): boolean {
    const step = besides[event.key.toLowerCase()];
    if (!event.altKey || !step) return false;
    event.preventDefault();
    event.stopPropagation();
    step(leave());
    return true;
  }

  function onkeydown(event: KeyboardEvent) {
    if (disabled || event.ctrlKey || event.metaKey || goesBesides(event)) return;
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
      else if (typed !== null && (answered !== typed || isStillLooking()))
        void stillSettling(chooseFound(false));
      else if (typed === null && (choice === undefined || isCurrent(choice))) hide();
      else if (choice !== undefined && isAnswered()) choose(choice);
    } else if (key === 'Escape' && open && !inline) {
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
    if (typed === null || inline) hide();
    else if (typed.trim() === '') choose(null);
    else if (answered === typed && !pending && choice !== undefined) choose(choice);
    else await chooseFound(true);
  }

  function bringIntoSight() {
    list?.querySelector('[aria-selected="true"]')?.scrollIntoView({ block: 'nearest' });
  }

  function move(by: number) {
    active = Math.max(0, Math.min(active + by, choices.length - 1));
    void tick().then(bringIntoSight);
    if (active >= choices.length - 3) more();
  }

  function more() {
    if (!loading && isAnswered() && found?.next) void load(typed ?? '', found.next);
  }

  /** Where a page does not fill the list, the next one comes by itself. */
  function fillSight() {
    if (list && list.scrollHeight <= list.clientHeight + 40) more();
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
  $effect(() => {
    if (inline) untrack(show);
  });

  /** The heading above a choice, where one begins. */
  function begins(i: number): string | null {
    const [here, before] = [choices[i], choices[i - 1]];
    if (!groupOf || here === undefined) return null;
    const heading = groupOf(here);
    return before !== undefined && groupOf(before) === heading ? null : heading;
  }
</script>

<div class={['relative', given]}>
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
    aria-activedescendant={open && choices[active] !== undefined ? `${id}-o${active}` : undefined}
    aria-invalid={invalid || unknown !== null}
    aria-describedby={describedby}
    aria-disabled={disabled}
    aria-required={required}
    readonly={disabled}
    {placeholder}
    autofocus={starts}
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
    class={inline ? '' : 'border-line bg-sheet z-50 rounded border shadow-lg'}
    {@attach inline ? null : standsAt(() => input, width)}
  >
    {#if choices.length > 0}{@render head?.(choices)}{/if}
    <div
      bind:this={list}
      id="{id}-list"
      class="max-h-72 overflow-y-auto"
      role="listbox"
      tabindex={-1}
      aria-label="Choices of {label}"
      {onscroll}
    >
      {#each choices as choice, i (i)}
        {@const heading = begins(i)}
        {@const current = isCurrent(choice)}
        {#if heading}
          <div class="text-soft px-3 pt-2 pb-0.5 text-[12px] font-semibold" role="presentation">
            {heading}
          </div>
        {/if}
        <div
          id="{id}-o{i}"
          role="option"
          tabindex={-1}
          aria-selected={i === active}
          class="min-h-8 cursor-pointer px-3 py-1 text-[13.5px] {i === active
            ? 'bg-wash shadow-[inset_3px_0_0_var(--marigold)]'
            : ''}"
          onmousedown={(event) => {
            event.preventDefault();
            choose(choice);
          }}
          onmousemove={() => (active = i)}
        >
          {#if current}<span class="sr-only">chosen now:</span>{/if}
          {@render option(choice, { typed: typed ?? '', current, choices })}
        </div>
      {/each}
    </div>
    {#if foot}
      <div
        class="border-line-soft text-soft px-3 py-1.5 text-[12.5px] {choices.length > 0
          ? 'border-t'
          : ''}"
        role="status"
      >
        {@render foot({
          found,
          failure,
          loading,
          shown: choices.length,
          typed: typed ?? '',
          leave,
        })}
      </div>
    {:else if !loading && choices.length === 0}
      <div class="quiet px-3 py-1.5" role="status">Nothing found.</div>
    {/if}
  </div>
{/if}
