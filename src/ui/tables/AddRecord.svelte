<script lang="ts">
  import { Modal } from '$lib/ui/parts';
  import type { Table, House } from '$lib/core/table/definition';
  import type { Value } from '$lib/core/values/types';
  import NewRecord from './NewRecord.svelte';

  interface Props {
    table: Table;
    tables: House;
    open: boolean;
    given?: Readonly<Record<string, Value>>;
    givenShown?: Readonly<Record<string, string>>;
    onadded: () => void;
  }
  let { table, tables, open = $bindable(), given, givenShown, onadded }: Props = $props();
</script>

<Modal bind:open size="md" title="Add a record to {table.title}">
  <NewRecord
    {table}
    {tables}
    {given}
    {givenShown}
    onadded={() => {
      open = false;
      onadded();
    }}
  />
</Modal>
