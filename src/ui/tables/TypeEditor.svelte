<script lang="ts">
  import { codePattern } from '$lib/core/values/code';
  import { kindNames, longestText, type ValueKind, type ValueType } from '$lib/core/values/types';

  interface Props {
    type: ValueType;
    tables: readonly { key: string; title: string }[];
    onchange: (type: ValueType) => void;
    label: string;
    /** Different values of the column, offered when it becomes an option. */
    distinct?: readonly string[];
  }
  let { type, tables, onchange, label, distinct = [] }: Props = $props();

  /** A kind as it stands in the list; the formats of short text stand beside it. */
  const kinds: { word: string; label: string }[] = [
    ...(Object.entries(kindNames) as [ValueKind, string][]).map(([word, label]) => ({
      word,
      label,
    })),
    { word: 'text:email', label: 'e-mail' },
    { word: 'text:url', label: 'web address' },
    { word: 'text:phone', label: 'phone' },
  ];
  const word = $derived(
    type.kind === 'text' && type.format !== 'plain' ? `text:${type.format}` : type.kind,
  );

  function choose(chosen: string) {
    const [kind, format] = chosen.split(':') as [ValueKind, 'email' | 'url' | 'phone' | undefined];
    switch (kind) {
      case 'text':
        return onchange({ kind, format: format ?? 'plain', length: longestText });
      case 'decimal':
        return onchange({ kind, precision: 12, scale: 2 });
      case 'option': {
        const values = distinct.length > 0 ? distinct : ['first', 'second'];
        return onchange({ kind, options: values.map((value) => ({ value, label: value })) });
      }
      case 'reference':
        return onchange({ kind, table: tables[0]?.key ?? '' });
      case 'code':
        return onchange({ kind, pattern: '{yyyy}-{0000}' });
      default:
        return onchange({ kind });
    }
  }

  function optionsFrom(text: string) {
    const values = text
      .split(/[\n,]/)
      .map((value) => value.trim())
      .filter((value) => value !== '');
    onchange({ kind: 'option', options: values.map((value) => ({ value, label: value })) });
  }
</script>

<div class="flex flex-wrap gap-2">
  <select
    class="control w-auto!"
    aria-label="Type of {label}"
    value={word}
    onchange={(event) => choose(event.currentTarget.value)}
  >
    {#each kinds as { word, label } (word)}
      <option value={word} disabled={word === 'reference' && tables.length === 0}>{label}</option>
    {/each}
  </select>
  {#if type.kind === 'text' && type.format === 'plain'}
    <input
      class="control w-16! text-right"
      type="number"
      min="1"
      max={longestText}
      aria-label="Longest {label}, in characters"
      title="Longest, in characters"
      value={type.length}
      onchange={(event) => onchange({ ...type, length: event.currentTarget.valueAsNumber || 255 })}
    />
  {:else if type.kind === 'decimal'}
    <input
      class="control w-16! text-right"
      type="number"
      min="1"
      max="38"
      aria-label="Digits of {label}"
      title="Digits in all"
      value={type.precision}
      onchange={(event) =>
        onchange({ ...type, precision: event.currentTarget.valueAsNumber || 12 })}
    />
    <input
      class="control w-16! text-right"
      type="number"
      min="0"
      max="20"
      aria-label="Decimal places of {label}"
      title="Decimal places"
      value={type.scale}
      onchange={(event) => onchange({ ...type, scale: event.currentTarget.valueAsNumber || 0 })}
    />
  {:else if type.kind === 'reference'}
    <select
      class="control w-auto!"
      aria-label="Table that {label} refers to"
      value={type.table}
      onchange={(event) => onchange({ kind: 'reference', table: event.currentTarget.value })}
    >
      {#each tables as { key, title } (key)}<option value={key}>{title}</option>{/each}
    </select>
  {:else if type.kind === 'option'}
    <input
      class="control w-52!"
      aria-label="Options of {label}, separated by commas"
      title="Options, separated by commas"
      value={type.options.map((o) => o.label).join(', ')}
      onchange={(event) => optionsFrom(event.currentTarget.value)}
    />
  {:else if type.kind === 'code'}
    <input
      class="control w-40!"
      aria-label="Pattern of {label}"
      title="Its zeros in braces become the number, with a year if you like"
      value={type.pattern}
      onchange={({ currentTarget: { value } }) =>
        codePattern.test(value) && onchange({ kind: 'code', pattern: value })}
    />
  {/if}
</div>
