<script lang="ts">
  import { plural, say } from '$lib/core/words/say';
  import type { Questions } from '$lib/core/plan/schema';
  import type { House, Table } from '$lib/core/table/definition';
  import { plainView } from '$lib/core/table/view';
  import type { Value } from '$lib/core/values/types';
  import { recordAnswer, type RecordRow } from '$lib/core/contract/answers';
  import type { QuestionFault } from '$lib/core/wiring/questions';
  import { Button } from '$lib/ui/parts';
  import { call } from '$lib/ui/shared/api';
  import { mayTable } from '$lib/ui/shared/may';
  import RecordsGrid from '$lib/ui/tables/RecordsGrid.svelte';

  interface Props {
    table: Table;
    tables: House;
    records: readonly RecordRow[];
    looked: {
      by: string | null;
      columns: Questions['columns'];
      sets: readonly { value: Value; questions: number }[];
      faults: readonly QuestionFault[];
      unlike: readonly { row: number; answers: number }[];
    };
    onchanged: () => void;
  }
  let { table, tables, records, looked, onchanged }: Props = $props();

  /** What a question says, in the order in which one reads it. */
  const parts: readonly (keyof Questions['columns'])[] = [
    ...(['group', 'text', 'kind', 'required', 'choices', 'when', 'points'] as const),
    ...(['least', 'greatest', 'unit', 'help', 'code', 'order'] as const),
  ];
  const shown = $derived({
    ...table,
    columns: parts.flatMap((part) =>
      table.columns.filter(({ key }) => key === looked.columns[part]),
    ),
  });
  const view = $derived({ ...plainView, group: looked.by });
  const groups = $derived({
    all: null,
    groups: looked.sets.map(({ value, questions }) => ({ value, records: questions, totals: [] })),
  });
  const faults = $derived(new Map(looked.faults.map((fault) => [fault.row, fault.problem])));
  const unlike = $derived(new Map(looked.unlike.map(({ row, answers }) => [row, answers])));

  /** What mends a row at once. */
  function mendings({ id }: RecordRow): { label: string; column: string; value: Value }[] {
    const code = faults.get(id)?.code ?? '';
    const { kind, when, choices } = looked.columns;
    const asText = [
      { label: say('Ask for a short text instead'), column: kind, value: 'short_text' },
    ];
    if (code === 'question_kind') return asText;
    if (code.startsWith('question_choices')) {
      const two = `${say('Yes')}; ${say('No')}`;
      const add = { label: say('Begin with two choices'), column: choices ?? '', value: two };
      return code === 'question_choices' && choices !== null ? [add, ...asText] : asText;
    }
    const condition = code === 'question_later' || !code.startsWith('question_');
    if (code !== '' && condition && when !== null) {
      return [{ label: say('Always ask it'), column: when, value: null }];
    }
    return [];
  }

  async function mend({ id, version }: RecordRow, column: string, value: Value) {
    const address = `/api/tables/${table.key}/records/${id}`;
    const body = { version, values: { [column]: value } };
    await call(recordAnswer, address, { method: 'PATCH', body });
    onchanged();
  }
</script>

<RecordsGrid
  table={shown}
  {tables}
  {records}
  {view}
  whole={table}
  totals={groups}
  counted={(n) => plural(n, ['# question', '# questions'])}
  hasNote={({ id }) => faults.has(id) || unlike.has(id)}
  {onchanged}
>
  {#snippet note(record)}
    {@const problem = faults.get(record.id)}
    {#if problem}
      <span class="text-crimson">{problem.message}</span>
      <span class="quiet">{problem.hint}</span>
      {#if mayTable(table.key, 'change')}
        {#each mendings(record) as { label, column, value } (label)}
          <Button kind="link" class="ms-3" onclick={() => mend(record, column, value)}>
            {label}
          </Button>
        {/each}
      {/if}
    {:else}
      <span class="quiet">
        {plural(unlike.get(record.id) ?? 0, [
          '# answer so far is of another kind, and stays as it is.',
          '# answers so far are of another kind, and stay as they are.',
        ])}
      </span>
    {/if}
  {/snippet}
</RecordsGrid>
