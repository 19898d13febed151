<script lang="ts">
  import type { Choice } from '$lib/core/entry/asks';
  import { unseenRecord } from '$lib/core/words/unseen';
  import { parseText } from '$lib/core/values/parse';
  import type { Column, House } from '$lib/core/table/definition';
  import { filesIn, idsOf, isLink, rowsIn, type Value } from '$lib/core/values/types';
  import LookupBox from '$lib/ui/filling/LookupBox.svelte';
  import MembersBox from '$lib/ui/filling/MembersBox.svelte';
  import FilesBox from '$lib/ui/shared/FilesBox.svelte';
  import RowsBox from '$lib/ui/shared/RowsBox.svelte';
  import ValueInput from '$lib/ui/shared/ValueInput.svelte';
  import { reading } from '$lib/ui/shared/locale';
  import { referenceColumns, referenceList } from './reference-list';

  interface Props {
    id: string;
    column: Column;
    tables: House;
    value: Value;
    /** The referred record in one line. */
    shown: string;
    /** Of several referred records, each in one line. */
    linked?: readonly string[];
    invalid?: boolean;
    onvalue: (value: Value, shown: string) => void;
    /** Told when what is typed is no value, with the sentence; `null` when it is one again. */
    onbad?: (sentence: string | null) => void;
  }
  let {
    id,
    column,
    tables,
    value,
    shown,
    linked = [],
    invalid = false,
    onvalue,
    onbad,
  }: Props = $props();

  let rejected = $state<string | null>(null);
  const to = $derived(isLink(column.type) ? tables.get(column.type.table) : undefined);
  /** Lines of records that were added since. */
  let added = $state<Record<number, string>>({});
  const members = $derived(
    idsOf(value).map((id, i) => ({ id, line: added[id] || linked[i] || unseenRecord() })),
  );

  function lineOf(choice: Choice | null): string {
    return choice?.shown.filter((part) => part !== null).join(' · ') ?? '';
  }

  /** The lines that are known stay with their ids, whatever is added or taken away. */
  function onmembers(ids: number[], choice: Choice | null) {
    for (const { id, line } of members) added[id] = line;
    if (choice) added[Number(choice.value)] = lineOf(choice);
    onvalue(ids.length > 0 ? ids.toSorted((a, b) => a - b) : null, '');
  }

  function ontext(text: string) {
    const parsed = parseText(column.type, text, column.label, reading());
    rejected = 'problem' in parsed ? text : null;
    onbad?.('problem' in parsed ? `${parsed.problem.message} ${parsed.problem.hint}` : null);
    onvalue('problem' in parsed ? null : parsed.value, text);
  }
</script>

{#if to && column.type.kind === 'references'}
  <MembersBox
    {id}
    label={column.label}
    {members}
    {invalid}
    columns={referenceColumns(tables, to)}
    list={referenceList(to)}
    onchange={onmembers}
  />
{:else if column.type.kind === 'rows'}
  <RowsBox
    {id}
    label={column.label}
    columns={column.type.columns}
    rows={rowsIn(value)}
    onvalue={(rows) => onvalue(rows, '')}
    {onbad}
  />
{:else if column.type.kind === 'files'}
  <FilesBox
    {id}
    label={column.label}
    type={column.type}
    files={filesIn(value)}
    {invalid}
    onvalue={(files) => onvalue(files, '')}
    path={column.key}
  />
{:else if to}
  <LookupBox
    {id}
    label={column.label}
    {shown}
    {invalid}
    columns={referenceColumns(tables, to)}
    list={referenceList(to)}
    onchoose={(choice) => onvalue(choice?.value ?? null, lineOf(choice))}
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
