<script lang="ts">
  import { mayTable } from '$lib/ui/shared/may';
  import { reader } from '$lib/core/words/reader';
  import { nothingWanted, undoneAnswer } from '$lib/core/contract/answers';
  import { Button, Ledger } from '$lib/ui/parts';
  import type { Problem } from '$lib/core/problems';
  import { columnOf, type Table } from '$lib/core/table/definition';
  import { formatValue } from '$lib/core/values/format';
  import { keptText } from '$lib/core/values/kept-text';
  import { rowsIn, type Value } from '$lib/core/values/types';
  import { plural, say } from '$lib/core/words/say';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';

  interface Step {
    id: number;
    save: string;
    kind: string;
    /** The record that was written: this one, or one that is linked with it. */
    table: string;
    record: number | null;
    action: string | null;
    form: string | null;
    edition: number | null;
    by: string;
    at: string;
    columns: { key: string; before: Value; after: Value }[];
    restorable: boolean;
  }
  interface Props {
    table: Table;
    record: { id: number; version: number };
    steps: readonly Step[];
    shown: Readonly<Record<string, string>>;
    onchanged: () => void;
  }
  let { table, record, steps, shown, onchanged }: Props = $props();

  let problems = $state.raw<Problem[]>([]);
  let told = $state('');
  /** The step that is about to be undone, while that is asked. */
  let asked = $state<number | null>(null);

  const words: Record<string, string> = {
    insert: say('added'),
    update: say('changed'),
    delete: say('deleted'),
    restore: say('restored to an earlier version'),
    undo: say('a save was undone'),
    import: say('imported'),
  };
  function said({ kind, action, ...step }: Step): string {
    if (step.table !== table.key || step.record !== record.id)
      return say('links changed from the other record');
    return words[kind] ?? words[action ?? ''] ?? kind;
  }

  function text(key: string, value: Value): string {
    const type = columnOf(table, key)?.type;
    if (!type) return '–';
    return keptText(type, value, reader(), (table, id) => shown[`${table} ${id}`]);
  }

  /** Of rows kept in the record, only those that are other than on the other side. */
  function side(change: Step['columns'][number], of: 'before' | 'after'): string {
    const type = columnOf(table, change.key)?.type;
    if (type?.kind !== 'rows') return text(change.key, change[of]);
    const lines = (value: Value) =>
      rowsIn(value).map((row) =>
        type.columns
          .map((column) => formatValue(column.type, row[column.key] ?? null, reader()))
          .join(' · '),
      );
    const others = lines(change[of === 'before' ? 'after' : 'before']);
    const own = lines(change[of]).filter((line) => {
      const at = others.indexOf(line);
      if (at !== -1) others.splice(at, 1);
      return at === -1;
    });
    return own.join('\n') || '–';
  }

  async function restore({ id }: Step) {
    const address = `/api/tables/${table.key}/records/${record.id}/restore`;
    const called = await call(nothingWanted, address, {
      body: { version: record.version, step: id },
    });
    problems = called.ok ? [] : called.problems;
    told = called.ok ? say('The record was restored. This is saved as a new version.') : '';
    onchanged();
  }

  async function undo({ save }: Step) {
    asked = null;
    const called = await call(undoneAnswer, `/api/saves/${save}/undo`, {
      method: 'POST',
      body: {},
    });
    problems = called.ok ? [] : called.problems;
    told = called.ok
      ? plural(called.value.receipt.records.length, [
          'The save was undone, # record changed.',
          'The save was undone, # records changed.',
        ])
      : '';
    onchanged();
  }
</script>

<Problems {problems} />
{#if told}<p class="quiet" role="status">{told}</p>{/if}
<Ledger class="border-line border">
  <thead>
    <tr>
      <th>When</th><th>Who</th><th>What</th><th>Column</th><th>Before</th><th>After</th>
      <th><span class="sr-only">Steps</span></th>
    </tr>
  </thead>
  <tbody>
    {#each steps as step (step.id)}
      {@const rows = step.columns.length > 0 ? step.columns : [null]}
      {#each rows as change, i (change?.key ?? '')}
        <tr class={['[&>td]:align-top', i > 0 && '[&>td]:border-t-0']}>
          {#if i === 0}
            <td class="text-soft whitespace-nowrap" rowspan={rows.length}>
              {formatValue({ kind: 'date_time' }, step.at, reader())}
            </td>
            <td rowspan={rows.length}>{step.by}</td>
            <td rowspan={rows.length}>
              {said(step)}
              {#if step.form && step.edition !== null}<div class="quiet">
                  with {step.form}, edition {step.edition}
                </div>{/if}
            </td>
          {/if}
          {#if change}
            <td>{columnOf(table, change.key)?.label ?? change.key}</td>
            <td class="text-soft whitespace-pre-wrap">{side(change, 'before')}</td>
            <td class="whitespace-pre-wrap">{side(change, 'after')}</td>
          {:else}
            <td colspan="3" class="text-soft">nothing of this record itself</td>
          {/if}
          {#if i === 0}
            <td rowspan={rows.length} class="text-right whitespace-nowrap">
              {#if asked === step.id}
                <Button onclick={() => undo(step)}>Undo all of it</Button>
                <Button kind="link" class="ms-2" onclick={() => (asked = null)}>No</Button>
              {:else}
                {#if step.restorable && mayTable(table.key, 'change')}
                  <Button kind="link" onclick={() => restore(step)}>Restore this state</Button>
                {/if}
                <Button kind="link" class="ms-3" onclick={() => (asked = step.id)}>
                  Undo this save
                </Button>
              {/if}
            </td>
          {/if}
        </tr>
      {/each}
    {:else}
      <tr><td colspan="7" class="text-soft">Nothing was written here since it was imported.</td></tr
      >
    {/each}
  </tbody>
</Ledger>
