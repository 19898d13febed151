<script lang="ts">
  import { stillSettling } from '$lib/ui/shared/pending';
  import { say } from '$lib/core/words/say';
  import { Input, Select } from '$lib/ui/parts';
  import { listAnswer } from '$lib/core/contract/answers';
  import { page } from '$app/state';
  import { call } from '$lib/ui/shared/api';
  import { codePattern } from '$lib/core/values/code';
  import type { Column } from '$lib/core/table/definition';
  import { usualLargest } from '$lib/core/values/files';
  import {
    kindNames,
    longestText,
    plainText,
    type ValueKind,
    type ValueType,
  } from '$lib/core/values/types';

  import FilesLimits from './FilesLimits.svelte';
  import RowColumns from './RowColumns.svelte';

  interface Props {
    type: ValueType;
    tables: readonly { key: string; title: string; columns?: readonly Column[] }[];
    /** The table that the column belongs to, where it is there already. */
    own?: string;
    onchange: (type: ValueType) => void;
    label: string;
    /** Whether it may hold several references: a field or a file has no place for their links. */
    links?: boolean;
    /** Whether it holds plain values of any length only: those of an outside system. */
    plain?: boolean;
    /** The kinds that are offered, where it cannot be any. */
    among?: ReadonlySet<ValueKind> | undefined;
    /** Different values of the column, offered when it becomes an option. */
    distinct?: readonly string[];
  }
  let {
    type,
    tables,
    own,
    onchange,
    label,
    links = true,
    plain = false,
    among,
    distinct = [],
  }: Props = $props();

  /** A kind as it stands in the list; the formats of short text stand beside it. */
  const kinds: { word: string; label: string }[] = [
    ...(Object.entries(kindNames) as [ValueKind, string][]).map(([word, label]) => ({
      word,
      label,
    })),
    { word: 'text:email', label: 'e-mail' },
    { word: 'text:url', label: say('web address') },
    { word: 'text:phone', label: say('phone') },
  ];
  const firstColumn = { key: 'part', label: say('Part'), type: plainText, required: false };
  const beyondPlain = ['reference', 'references', 'rows', 'files', 'code'];
  const offered = $derived(
    kinds.filter(({ word }) => {
      if (among) return among.has(word.split(':')[0] as ValueKind);
      return plain ? !beyondPlain.includes(word) : links || !['references', 'files'].includes(word);
    }),
  );
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
        const values = distinct.length > 0 ? distinct : [say('first'), say('second')];
        return onchange({ kind, options: values.map((value) => ({ value, label: value })) });
      }
      case 'reference':
        return onchange({ kind, table: tables[0]?.key ?? '' });
      case 'references':
        return onchange({ kind, table: tables[0]?.key ?? '', mirrors: null });
      case 'rows':
        return onchange({ kind, columns: [firstColumn] });
      case 'files':
        return onchange({ kind, kinds: [], largest: usualLargest, most: 1 });
      case 'code':
        return onchange({ kind, pattern: '{yyyy}-{0000}' });
      default:
        return onchange({ kind });
    }
  }

  /** The columns of the other table whose links can be seen from their other side here. */
  const mirrorable = $derived.by(() => {
    if (type.kind !== 'references' || own === undefined) return [];
    const to = tables.find((table) => table.key === type.table);
    return (to?.columns ?? []).filter(
      (c) => c.type.kind === 'references' && c.type.table === own && c.type.mirrors === null,
    );
  });

  const lists = $derived((page.data.optionLists ?? []) as { key: string; title: string }[]);

  /** Takes the options from a list, as it has them now, or makes them the column's own. */
  async function takeFrom(list: string) {
    if (type.kind !== 'option') return;
    if (list === '') return onchange({ kind: 'option', options: type.options });
    const called = await call(listAnswer, `/api/lists/${list}`);
    if (called.ok) onchange({ kind: 'option', list, options: called.value.values });
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
  <Select
    class="w-auto!"
    aria-label="Type of {label}"
    value={word}
    onchange={(event) => choose(event.currentTarget.value)}
  >
    {#each offered as { word, label } (word)}
      <option value={word} disabled={word.startsWith('reference') && tables.length === 0}
        >{label}</option
      >
    {/each}
  </Select>
  {#if type.kind === 'text' && type.format === 'plain' && !plain}
    <Input
      class="w-16! text-right"
      type="number"
      min="1"
      max={longestText}
      aria-label="Longest {label}, in characters"
      title="Longest, in characters"
      value={type.length}
      onchange={(event) => onchange({ ...type, length: event.currentTarget.valueAsNumber || 255 })}
    />
  {:else if type.kind === 'decimal'}
    <Input
      class="w-16! text-right"
      type="number"
      min="1"
      max="38"
      aria-label="Digits of {label}"
      title="Digits in all"
      value={type.precision}
      onchange={(event) =>
        onchange({ ...type, precision: event.currentTarget.valueAsNumber || 12 })}
    />
    <Input
      class="w-16! text-right"
      type="number"
      min="0"
      max="20"
      aria-label="Decimal places of {label}"
      title="Decimal places"
      value={type.scale}
      onchange={(event) => onchange({ ...type, scale: event.currentTarget.valueAsNumber || 0 })}
    />
  {:else if type.kind === 'reference'}
    <Select
      class="w-auto!"
      aria-label="Table that {label} refers to"
      value={type.table}
      onchange={(event) => onchange({ kind: 'reference', table: event.currentTarget.value })}
    >
      {#each tables as { key, title } (key)}<option value={key}>{title}</option>{/each}
    </Select>
  {:else if type.kind === 'references'}
    <Select
      class="w-auto!"
      aria-label="Table that {label} refers to"
      value={type.table}
      onchange={(event) => onchange({ ...type, table: event.currentTarget.value, mirrors: null })}
    >
      {#each tables as { key, title } (key)}<option value={key}>{title}</option>{/each}
    </Select>
    {#if mirrorable.length > 0}
      <Select
        class="w-auto!"
        aria-label="Links of {label}"
        value={type.mirrors ?? ''}
        onchange={(event) => onchange({ ...type, mirrors: event.currentTarget.value || null })}
      >
        <option value="">links of its own</option>
        {#each mirrorable as column (column.key)}
          <option value={column.key}>the other side of {column.label}</option>
        {/each}
      </Select>
    {/if}
  {:else if type.kind === 'rows'}
    <RowColumns
      {label}
      columns={type.columns}
      onchange={(columns) => onchange({ kind: 'rows', columns })}
    />
  {:else if type.kind === 'files'}
    <FilesLimits {type} {label} {onchange} />
  {:else if type.kind === 'option'}
    {#if lists.length > 0}
      <Select
        class="w-auto!"
        aria-label="Where the options of {label} come from"
        value={type.list ?? ''}
        onchange={({ currentTarget: { value } }) => void stillSettling(takeFrom(value))}
      >
        <option value="">options of its own</option>
        {#each lists as { key, title } (key)}<option value={key}>list {title}</option>{/each}
      </Select>
    {/if}
    {#if type.list === undefined}<Input
        class="w-52!"
        aria-label="Options of {label}, separated by commas"
        title="Options, separated by commas"
        value={type.options.map((o) => o.label).join(', ')}
        onchange={(event) => optionsFrom(event.currentTarget.value)}
      />{/if}
  {:else if type.kind === 'code'}
    <Input
      class="w-40!"
      aria-label="Pattern of {label}"
      title="Its zeros in braces become the number, with a year if you like"
      value={type.pattern}
      onchange={({ currentTarget: { value } }) =>
        codePattern.test(value) && onchange({ kind: 'code', pattern: value })}
    />
  {/if}
</div>
