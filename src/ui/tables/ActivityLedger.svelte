<script lang="ts">
  import { num } from '$lib/core/words/say';
  import { reader } from '$lib/core/words/reader';
  import { Ledger } from '$lib/ui/parts';
  import { formatValue } from '$lib/core/values/format';
  import type { Value } from '$lib/core/values/types';

  type Change = Value | { before: Value; after: Value };
  interface Props {
    rows: readonly {
      id: number;
      kind: string;
      form: string | null;
      edition: number | null;
      table: string;
      record: number | null;
      by: string;
      at: string;
      changes: Record<string, Change>;
    }[];
    titles: ReadonlyMap<string, string>;
  }
  let { rows, titles }: Props = $props();

  const words: Record<string, string> = {
    entry: 'saved',
    insert: 'added',
    update: 'changed',
    delete: 'deleted',
    import: 'imported',
  };

  function plain(value: Value): string {
    if (value === null) return '–';
    return typeof value === 'object' ? JSON.stringify(value) : String(value);
  }

  function told(kind: string, changes: Record<string, Change>): string {
    if (kind === 'import') return `${num(Number(changes.rows))} rows`;
    return Object.entries(changes)
      .filter(([, change]) => change !== null)
      .slice(0, 5)
      .map(([column, change]) =>
        typeof change === 'object' && change !== null && 'before' in change
          ? `${column} ${plain(change.before)} → ${plain(change.after)}`
          : `${column} ${plain(change)}`,
      )
      .join(', ');
  }
</script>

<Ledger class="border-line border">
  <thead>
    <tr><th>When</th><th>Who</th><th>What</th><th>Values</th></tr>
  </thead>
  <tbody>
    {#each rows as row (row.id)}
      <tr>
        <td class="text-soft whitespace-nowrap"
          >{formatValue({ kind: 'date_time' }, row.at, reader())}</td
        >
        <td>{row.by}</td>
        <td>
          {words[row.kind] ?? row.kind}
          {#if row.record !== null && row.kind !== 'delete'}
            <a class="ref" href="/tables/{row.table}/records/{row.record}">
              {titles.get(row.table) ?? row.table}
              {row.record}</a
            >
          {:else if row.record !== null}
            {titles.get(row.table) ?? row.table} {row.record}
          {:else}
            <a class="ref" href="/tables/{row.table}">{titles.get(row.table) ?? row.table}</a>
          {/if}
          {#if row.form}<span class="text-soft">with {row.form}, edition {row.edition}</span>{/if}
        </td>
        <td class="text-soft max-w-[420px] truncate">{told(row.kind, row.changes)}</td>
      </tr>
    {:else}
      <tr><td colspan="4" class="text-soft">Nothing was written yet.</td></tr>
    {/each}
  </tbody>
</Ledger>
