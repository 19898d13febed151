<script lang="ts">
  import type { Column, House } from '$lib/core/table/definition';
  import type { Scalar } from '$lib/core/values/types';
  import ColumnInput from './ColumnInput.svelte';

  interface Props {
    id: string;
    column: Column;
    label: string;
    tables: House;
    value: Scalar;
    shown: string;
    onvalue: (value: Scalar, shown: string) => void;
  }
  let { id, column, label, tables, value, shown, onvalue }: Props = $props();

  /** A column of several records is compared with one of them. */
  const compared = $derived({
    ...column,
    label,
    type:
      column.type.kind === 'references'
        ? { kind: 'reference' as const, table: column.type.table }
        : column.type,
  });
</script>

<ColumnInput
  {id}
  column={compared}
  {tables}
  {value}
  {shown}
  onvalue={(chosen, line) => onvalue(chosen as Scalar, line)}
/>
