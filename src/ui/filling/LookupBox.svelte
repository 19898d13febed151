<script lang="ts">
  import { foundWords } from '$lib/core/words/about';
  import { num, say } from '$lib/core/words/say';
  import { lookedWords } from '$lib/ui/shared/looked';
  import { reader } from '$lib/core/words/reader';
  import { Button, Combobox, Marked } from '$lib/ui/parts';
  import type { Choice, Offer } from '$lib/core/entry/asks';
  import type { Problem } from '$lib/core/problems';
  import { formatValue } from '$lib/core/values/format';
  import { isAmount, type ValueType } from '$lib/core/values/types';
  import { ago } from '$lib/ui/shared/ago';

  interface Props {
    id: string;
    /** The chosen value in one line; empty where there is none. */
    shown: string;
    columns: readonly { label: string; type: ValueType }[];
    /** Reads a page of the list as it is now. */
    list: (search: string, after?: string, signal?: AbortSignal) => Promise<Offer | Problem>;
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

  /** Each column as wide as its longest text so far needs, within bounds. */
  function widths(choices: readonly Choice[]): string {
    const known = reckoned.get(choices);
    if (known !== undefined) return known;
    const made = columns
      .map(({ label, type }, i) => {
        const lengths = choices.map((c) => partText(type, c.shown[i] ?? null).length);
        const longest = Math.max(label.length, ...lengths);
        return `minmax(0, ${Math.min(Math.max(longest, 5), 40)}fr)`;
      })
      .join(' ');
    reckoned.set(choices, made);
    return made;
  }
  const reckoned = new WeakMap<readonly Choice[], string>();

  function partText(type: ValueType | undefined, part: Choice['shown'][number]): string {
    if (part === null) return '–';
    return type ? formatValue(type, part, reader()) : String(part);
  }
</script>

{#snippet head(choices: readonly Choice[])}
  {#if columns.length > 1}
    <div
      class="text-soft border-line grid gap-3 border-b px-3 py-1.5 text-[12px] font-semibold"
      style:grid-template-columns={widths(choices)}
      aria-hidden="true"
    >
      {#each columns as { label, type }, i (i)}
        <span class={isAmount(type) ? 'text-right' : ''}>{label}</span>
      {/each}
    </div>
  {/if}
{/snippet}

<Combobox
  {id}
  {label}
  {named}
  {shown}
  find={list}
  isCurrent={(choice) => current !== null && choice.value === current}
  {onchoose}
  {ontext}
  besides={{ p: onpick, a: onadd }}
  width={(box) => Math.max(box, Math.min(640, columns.length * 200))}
  {placeholder}
  {disabled}
  {invalid}
  {required}
  {describedby}
  {head}
>
  {#snippet option(choice, { typed, current, choices })}
    <div class="grid items-center gap-3" style:grid-template-columns={widths(choices)}>
      {#each choice.shown as part, k (k)}
        {@const type = columns[k]?.type}
        {@const text = partText(type, part)}
        <span
          class={['truncate', current && 'font-semibold', type && isAmount(type) && 'text-right']}
          title={text}><Marked {text} {typed} /></span
        >
      {/each}
    </div>
  {/snippet}
  {#snippet foot({ found: offer, failure, loading, shown: count, leave })}
    {#if failure}
      <span class="text-crimson">{failure.message}</span> {failure.hint}
    {:else if loading && count === 0}
      {offer?.looked ? say(`Looking: ${lookedWords(offer.looked)} …`) : say('Loading…')}
    {:else if offer && count === 0}
      <div class="text-ink">No choices.</div>
      {#each why(offer) as line (line)}<div>{line}</div>{/each}
      {#if offer.looked}<div>{lookedWords(offer.looked)}</div>{/if}
    {:else if offer?.looked}
      {num(count)} found · {lookedWords(offer.looked)}
    {:else if offer}
      {num(count)} of {foundWords(offer.found, offer.more)}
      shown{offer.at !== undefined && !offer.took
        ? ` · ${say(`from outside ${ago(offer.at)}`)}`
        : ''}
    {/if}
    {#if offer && (onpick || onadd)}
      <div class="mt-1 flex gap-4">
        {#if onpick && offer.found > 0}
          <Button
            kind="link"
            tabindex={-1}
            onmousedown={(event) => {
              event.preventDefault();
              onpick(leave());
            }}>Browse all <kbd>Alt P</kbd></Button
          >
        {/if}
        {#if onadd}
          <Button
            kind="link"
            tabindex={-1}
            onmousedown={(event) => {
              event.preventDefault();
              onadd(leave());
            }}>Add new <kbd>Alt A</kbd></Button
          >
        {/if}
      </div>
    {/if}
  {/snippet}
</Combobox>
