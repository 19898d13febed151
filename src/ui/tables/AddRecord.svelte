<script lang="ts">
  import { Button, Modal } from 'flowbite-svelte';
  import type { Problem } from '$lib/core/problems';
  import type { Table, Tables } from '$lib/core/table/definition';
  import type { Value } from '$lib/core/values/types';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import ColumnInput from './ColumnInput.svelte';

  interface Props {
    table: Table;
    tables: Tables;
    open: boolean;
    onadded: () => void;
  }
  let { table, tables, open = $bindable(), onadded }: Props = $props();

  let values = $state<Record<string, Value>>({});
  let shown = $state<Record<string, string>>({});
  let bad = $state<Record<string, string | null>>({});
  let problems = $state.raw<Problem[]>([]);

  async function add(event: SubmitEvent) {
    event.preventDefault();
    if (Object.values(bad).some((sentence) => sentence !== null)) return;
    const called = await call(`/api/tables/${table.key}/records`, { body: { values } });
    if (!called.ok) {
      problems = called.problems;
      return;
    }
    [values, shown, bad, problems, open] = [{}, {}, {}, [], false];
    onadded();
  }
</script>

<Modal bind:open size="md" title="Add a record to {table.title}">
  <form class="grid gap-3" onsubmit={add}>
    <div class="grid grid-cols-2 gap-3">
      {#each table.columns as column (column.key)}
        {@const found = problems.find((p) => p.path === column.key)}
        <div>
          <label class="mb-1 flex justify-between font-semibold" for="add-{column.key}">
            {column.label}<span class="quiet"
              >{column.type.kind === 'code'
                ? 'numbered by itself'
                : column.required
                  ? 'required'
                  : ''}</span
            >
          </label>
          <ColumnInput
            id="add-{column.key}"
            {column}
            {tables}
            value={values[column.key] ?? null}
            shown={shown[column.key] ?? ''}
            invalid={found !== undefined}
            onvalue={(value, line) => {
              values[column.key] = value;
              shown[column.key] = line;
            }}
            onbad={(sentence) => (bad[column.key] = sentence)}
          />
          <span class="text-crimson text-[12.5px]">{bad[column.key] ?? found?.message ?? ''}</span>
        </div>
      {/each}
    </div>
    <Problems problems={problems.filter((p) => !table.columns.some((c) => c.key === p.path))} />
    <div><Button type="submit">Add the record</Button></div>
  </form>
</Modal>
