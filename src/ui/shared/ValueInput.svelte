<script lang="ts">
  import { reader } from '$lib/core/words/reader';
  import {
    Button,
    Checkbox,
    DateInput,
    Input,
    Radio,
    Select,
    Textarea,
    Toggle,
  } from '$lib/ui/parts';
  import { isAmount, offeredOptions, type Value, type ValueType } from '$lib/core/values/types';
  import { editText, formatValue } from '$lib/core/values/format';

  interface Props {
    id?: string;
    type: ValueType;
    value: Value;
    /** What was typed and could not be read; shown instead of the value. */
    rejected?: string | null;
    /** Takes a value in canonical form. */
    onvalue: (value: Value) => void;
    /** Takes what was typed. */
    ontext: (text: string) => void;
    onleave?: () => void;
    /** What it is chosen with, where its values allow it. */
    control?: 'box' | 'tick' | 'switch' | 'radio';
    required?: boolean;
    invalid?: boolean;
    disabled?: boolean;
    describedby?: string;
    label?: string;
    /** What an empty choice says. */
    placeholder?: string;
  }
  let {
    id,
    type,
    value,
    rejected = null,
    onvalue,
    ontext,
    onleave,
    control = 'box',
    required = false,
    invalid = false,
    disabled = false,
    describedby,
    label,
    placeholder = '–',
  }: Props = $props();

  let focused = $state(false);
  let typed = $state('');
  const canonical = $derived(rejected ?? editText(type, value, reader()));
  const text = $derived(focused ? typed : canonical);

  const numeric = $derived(isAmount(type));
  /** How a day or a time can be written, where the field is empty. */
  const example = $derived.by(() => {
    const { kind } = type;
    if (kind === 'date') return formatValue(type, '2027-03-31', reader());
    if (kind === 'date_time') return formatValue(type, '2027-03-31T12:30:00Z', reader());
    return kind === 'time' ? '14:30' : kind === 'duration' ? '1:30' : undefined;
  });
  const inputType = $derived(
    type.kind === 'text'
      ? ({ plain: 'text', email: 'email', url: 'url', phone: 'tel' } as const)[type.format]
      : 'text',
  );

  const shared = $derived({
    id,
    disabled,
    'aria-required': required,
    'aria-invalid': invalid,
    'aria-describedby': describedby,
    'aria-label': label,
  });

  const yesNoWord = $derived(value === null ? '' : value ? 'yes' : 'no');
  /** What stands beside radio buttons. */
  const radios = $derived(
    type.kind === 'option'
      ? offeredOptions(type.options, value).map((option) => ({
          word: option.value,
          label: option.label,
        }))
      : [true, false].map((each) => ({
          word: each ? 'yes' : 'no',
          label: formatValue({ kind: 'yes_no' }, each, reader()),
        })),
  );

  /** Takes a choice back: no button is on then. */
  function takeBack() {
    onvalue(null);
    onleave?.();
  }

  function onfocus() {
    typed = canonical;
    focused = true;
  }

  function onblur() {
    focused = false;
    onleave?.();
  }

  /** A day of the calendar; a moment keeps the time that it has. */
  function pickDay(day: string) {
    const written = formatValue({ kind: 'date' }, day, reader());
    const time =
      type.kind === 'date_time' && typeof value === 'string'
        ? new Intl.DateTimeFormat('en-GB', { timeStyle: 'medium', timeZone: reader().zone }).format(
            new Date(value),
          )
        : '';
    typed = `${written} ${time}`.trim();
    ontext(typed);
  }

  function oninput(event: Event & { currentTarget: HTMLInputElement | HTMLTextAreaElement }) {
    typed = event.currentTarget.value;
    ontext(typed);
  }
</script>

{#if control === 'radio' && (type.kind === 'option' || type.kind === 'yes_no')}
  <div
    {id}
    class="flex min-h-8 flex-wrap items-center gap-x-5 gap-y-1"
    role="radiogroup"
    aria-label={label}
    aria-labelledby={label === undefined ? `${id}-label` : undefined}
    aria-required={required}
    aria-invalid={invalid}
    aria-describedby={describedby}
    tabindex={-1}
    onkeydown={(event) => {
      if (disabled || value === null || !['Delete', 'Backspace'].includes(event.key)) return;
      event.preventDefault();
      takeBack();
    }}
  >
    {#each radios as option (option.word)}
      <Radio
        name="{id}-radio"
        value={option.word}
        group={type.kind === 'yes_no' ? yesNoWord : (value ?? '')}
        {disabled}
        onchange={() => {
          onvalue(type.kind === 'yes_no' ? option.word === 'yes' : option.word);
          onleave?.();
        }}>{option.label}</Radio
      >
    {/each}
    {#if value !== null && !disabled && !required}
      <Button kind="link" tabindex={-1} onclick={takeBack}>clear</Button>
    {/if}
  </div>
{:else if type.kind === 'yes_no' && control === 'tick'}
  <span class="flex min-h-8 items-center">
    <Checkbox
      {...shared}
      checked={value === true}
      onchange={(event) => onvalue(event.currentTarget.checked)}
      onblur={onleave}
    />
  </span>
{:else if type.kind === 'yes_no' && control === 'switch'}
  <Toggle
    {...shared}
    checked={value === true}
    onchange={(event) => onvalue(event.currentTarget.checked)}
    onblur={onleave}
  />
{:else if type.kind === 'option'}
  <Select
    {...shared}
    value={value ?? ''}
    onchange={(event) => onvalue(event.currentTarget.value || null)}
    onblur={onleave}
  >
    <option value="">{placeholder}</option>
    {#each offeredOptions(type.options, value) as option (option.value)}
      <option value={option.value}>{option.label}</option>
    {/each}
  </Select>
{:else if type.kind === 'yes_no'}
  <Select
    {...shared}
    value={value === null ? '' : value ? 'yes' : 'no'}
    onchange={({ currentTarget: { value: word } }) => onvalue(word === '' ? null : word === 'yes')}
    onblur={onleave}
  >
    <option value="">–</option>
    <option value="yes">yes</option>
    <option value="no">no</option>
  </Select>
{:else if type.kind === 'long_text'}
  <Textarea {...shared} style="height: 66px" value={text} {oninput} {onfocus} {onblur}></Textarea>
{:else if type.kind === 'date' || type.kind === 'date_time'}
  <DateInput
    {...shared}
    autocomplete="off"
    placeholder={example}
    value={text}
    day={typeof value === 'string' ? value.slice(0, 10) : ''}
    calendar="Open the calendar"
    onday={(day) => pickDay(day)}
    {oninput}
    {onfocus}
    {onblur}
  />
{:else}
  <Input
    {...shared}
    class={numeric ? 'text-right' : ''}
    type={inputType}
    inputmode={numeric ? 'decimal' : undefined}
    autocomplete="off"
    placeholder={example}
    value={text}
    {oninput}
    {onfocus}
    {onblur}
  />
{/if}
