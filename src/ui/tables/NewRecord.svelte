<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { recordAnswer } from '$lib/core/contract/answers';
  import { Button } from '$lib/ui/parts';
  import { untrack } from 'svelte';
  import type { Problem } from '$lib/core/problems';
  import type { Table, House } from '$lib/core/table/definition';
  import type { Value } from '$lib/core/values/types';
  import { call } from '$lib/ui/shared/api';
  import { settlePending } from '$lib/ui/shared/pending';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import { recordDrafts, type RecordDraft } from './record-drafts';
  import ColumnInput from './ColumnInput.svelte';

  interface Props {
    table: Table;
    tables: House;
    /** Values by column that it begins with, and how its references are shown. */
    given?: Readonly<Record<string, Value>>;
    givenShown?: Readonly<Record<string, string>>;
    prefix?: string;
    onadded: (record: { id: number }) => void;
  }
  let { table, tables, given = {}, givenShown = {}, prefix = 'add', onadded }: Props = $props();

  const name = untrack(() => `${table.key} ${JSON.stringify(given)}`);
  const draft = recordDrafts.get(name);
  let values = $state<Record<string, Value>>(untrack(() => ({ ...(draft?.values ?? given) })));
  let shown = $state<Record<string, string>>(untrack(() => ({ ...(draft?.shown ?? givenShown) })));
  let bad = $state<Record<string, string | null>>({});
  let problems = $state.raw<Problem[]>([]);
  let adding = $state(false);

  async function add(event: SubmitEvent) {
    event.preventDefault();
    event.stopPropagation();
    const left = await settlePending();
    problems = left;
    if (left.length > 0 || adding || Object.values(bad).some((sentence) => sentence !== null))
      return;
    adding = true;
    const called = await call(recordAnswer, `/api/tables/${table.key}/records`, {
      body: { values },
    });
    adding = false;
    problems = called.ok ? [] : called.problems;
    if (!called.ok) return;
    recordDrafts.delete(name);
    onadded(called.value);
  }

  function note(column: { type: { kind: string }; required: boolean }): string {
    if (column.type.kind === 'code') return say('numbered automatically');
    return column.required ? say('required') : '';
  }
</script>

<form class="grid gap-3" onsubmit={add}>
  <div class="grid grid-cols-2 gap-3">
    {#each table.columns as column (column.key)}
      {@const found = problems.find((p) => p.path === column.key)}
      <div>
        <label class="mb-1 flex justify-between font-semibold" for="{prefix}-{column.key}">
          {column.label}<span class="quiet">{note(column)}</span>
        </label>
        <ColumnInput
          id="{prefix}-{column.key}"
          {column}
          {tables}
          value={values[column.key] ?? null}
          shown={shown[column.key] ?? ''}
          invalid={found !== undefined}
          onvalue={(value, line) => {
            values[column.key] = value;
            shown[column.key] = line;
            recordDrafts.set(name, $state.snapshot({ values, shown }) as RecordDraft);
          }}
          onbad={(sentence) => (bad[column.key] = sentence)}
        />
        <span class="text-crimson text-[12.5px]">{bad[column.key] ?? found?.message ?? ''}</span>
      </div>
    {/each}
  </div>
  <Problems problems={problems.filter((p) => !table.columns.some((c) => c.key === p.path))} />
  <div><Button type="submit" loading={adding}>Add the record</Button></div>
</form>
