<script lang="ts">
  import { parseText } from '$lib/core/values/parse';
  import type { Column, Tables } from '$lib/core/table/definition';
  import type { Value } from '$lib/core/values/types';
  import LookupBox from '$lib/ui/filling/LookupBox.svelte';
  import ValueInput from '$lib/ui/shared/ValueInput.svelte';
  import { reading } from '$lib/ui/shared/locale';
  import { referenceColumns, referenceList } from './reference-list';

  interface Props {
    id: string;
    column: Column;
    tables: Tables;
    value: Value;
    /** The referred record in one line. */
    shown: string;
    invalid?: boolean;
    onvalue: (value: Value, shown: string) => void;
    /** Told when what is typed is no value, with the sentence; `null` when it is one again. */
    onbad?: (sentence: string | null) => void;
  }
  let { id, column, tables, value, shown, invalid = false, onvalue, onbad }: Props = $props();

  let rejected = $state<string | null>(null);
  const to = $derived(column.type.kind === 'reference' ? tables.get(column.type.table) : undefined);

  function ontext(text: string) {
    const parsed = parseText(column.type, text, column.label, reading());
    rejected = 'problem' in parsed ? text : null;
    onbad?.('problem' in parsed ? `${parsed.problem.message} ${parsed.problem.hint}` : null);
    onvalue('problem' in parsed ? null : parsed.value, text);
  }
</script>

{#if to}
  <LookupBox
    {id}
    label={column.label}
    {shown}
    {invalid}
    columns={referenceColumns(tables, to)}
    list={referenceList(to)}
    onchoose={(choice) =>
      onvalue(choice?.value ?? null, choice?.shown.filter((s) => s !== null).join(' · ') ?? '')}
  />
{:else}
  <ValueInput
    {id}
    type={column.type}
    {value}
    {rejected}
    {invalid}
    label={column.label}
    onvalue={(chosen) => onvalue(chosen, '')}
    {ontext}
  />
{/if}
