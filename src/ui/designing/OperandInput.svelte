<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { DateInput, Input, Select } from '$lib/ui/parts';
  import { dayUnits, type DayUnit, type Operand } from '$lib/core/plan/sentences';
  import { editText, formatValue } from '$lib/core/values/format';
  import { parseText } from '$lib/core/values/parse';
  import { isAmount, offeredOptions, type ValueType } from '$lib/core/values/types';
  import { reader } from '$lib/core/words/reader';
  import type { SaidName } from './said-names';
  import { reading } from '$lib/ui/shared/locale';

  interface Props {
    /** What it is, for whoever does not see it. */
    label: string;
    /** What the value is to be: of the field that it is compared with, or that begins with it. */
    type: ValueType;
    operand: Operand | null;
    /** The fields of the same kind. */
    names: readonly SaidName[];
    onchange: (operand: Operand) => void;
  }
  let { label, type, operand, names, onchange }: Props = $props();

  const days = $derived(type.kind === 'date');
  const options = $derived(type.kind === 'option' ? offeredOptions(type.options, null) : []);
  /** What is chosen in the list: a value of it, a field, today, or that a value is typed. */
  const chosen = $derived.by(() => {
    if (operand?.kind === 'name') return `name ${operand.path.join('.')}`;
    if (operand?.kind === 'today') return 'today';
    if (operand?.kind === 'yes_no') return operand.value ? 'yes' : 'no';
    if (operand?.kind === 'text' && type.kind === 'option') return `option ${operand.value}`;
    return operand || typed ? 'value' : '';
  });
  /** Whether a value is typed that is not there yet. */
  let typed = $state(false);
  const listed = $derived(type.kind === 'option' || type.kind === 'yes_no');

  function choose(choice: string) {
    const [kind = '', ...rest] = choice.split(' ');
    const what = rest.join(' ');
    typed = choice === 'value';
    if (kind === 'name') onchange({ kind: 'name', path: what.split('.') });
    else if (kind === 'option') onchange({ kind: 'text', value: what });
    else if (choice === 'yes' || choice === 'no')
      onchange({ kind: 'yes_no', value: choice === 'yes' });
    else if (choice === 'today') onchange({ kind: 'today', plus: 0, unit: 'days' });
  }

  function ontext(text: string) {
    const parsed = parseText(type, text, label, reading());
    if ('problem' in parsed || parsed.value === null) return;
    const value = String(parsed.value);
    if (days) onchange({ kind: 'date', value });
    else onchange({ kind: isAmount(type) ? 'number' : 'text', value });
  }

  const shown = $derived(
    operand?.kind === 'date' || operand?.kind === 'number' || operand?.kind === 'text'
      ? editText(type, operand.value, reader())
      : '',
  );
  const today = $derived(operand?.kind === 'today' ? operand : null);
  const unitWords: Record<DayUnit, string> = {
    days: say('days'),
    weeks: say('weeks'),
    months: say('months'),
  };

  function shift(change: { sign?: number; count?: number; unit?: DayUnit }) {
    if (!today) return;
    const sign = change.sign ?? (today.plus < 0 ? -1 : 1);
    const count = change.count ?? Math.abs(today.plus);
    onchange({
      kind: 'today',
      plus: sign === 0 ? 0 : sign * (count || 1),
      unit: change.unit ?? today.unit,
    });
  }
</script>

<span class="flex flex-wrap items-center gap-2">
  <Select
    class="w-auto! min-w-24 flex-1"
    aria-label={label}
    value={chosen}
    onchange={(event) => choose(event.currentTarget.value)}
  >
    {#if chosen === ''}<option value="">choose…</option>{/if}
    {#if type.kind === 'yes_no'}
      <option value="yes">yes</option>
      <option value="no">no</option>
    {/if}
    {#each options as option (option.value)}
      <option value="option {option.value}">{option.label}</option>
    {/each}
    {#if days}<option value="today">today</option>{/if}
    {#if !listed}<option value="value">{days ? say('a day') : say('a value')}</option>{/if}
    {#each names as { path, label: said } (path.join('.'))}
      <option value="name {path.join('.')}">{said}</option>
    {/each}
  </Select>
  {#if today}
    <Select
      class="w-auto!"
      aria-label="{label}, before or after today"
      value={Math.sign(today.plus)}
      onchange={(event) => shift({ sign: Number(event.currentTarget.value) })}
    >
      <option value={0}>itself</option>
      <option value={1}>plus</option>
      <option value={-1}>minus</option>
    </Select>
    {#if today.plus !== 0}
      <Input
        class="w-16!"
        type="number"
        min="1"
        max="9999"
        aria-label="{label}, how many"
        value={Math.abs(today.plus)}
        onchange={(event) => shift({ count: Math.trunc(Number(event.currentTarget.value)) || 1 })}
      />
      <Select
        class="w-auto!"
        aria-label="{label}, days, weeks or months"
        value={today.unit}
        onchange={(event) => shift({ unit: event.currentTarget.value as DayUnit })}
      >
        {#each dayUnits as unit (unit)}<option value={unit}>{unitWords[unit]}</option>{/each}
      </Select>
    {/if}
  {:else if chosen === 'value' && days}
    <span class="w-40">
      <DateInput
        aria-label="{label}, the day"
        placeholder={formatValue(type, '2027-03-31', reader())}
        value={shown}
        day={operand?.kind === 'date' ? operand.value : ''}
        calendar="Open the calendar"
        onday={(value) => onchange({ kind: 'date', value })}
        onchange={(event) => ontext(event.currentTarget.value)}
      />
    </span>
  {:else if chosen === 'value'}
    <Input
      class="w-36! {isAmount(type) ? 'text-end' : ''}"
      aria-label="{label}, the value"
      value={shown}
      onchange={(event) => ontext(event.currentTarget.value)}
    />
  {/if}
</span>
