<script lang="ts">
  import { num, say } from '$lib/core/words/say';
  import type { ImportResult } from '$lib/core/contract/answers';
  import { Input, Ledger } from '$lib/ui/parts';
  import type { ComingTable, ComingTogether } from './together.svelte';

  interface Props {
    coming: ComingTogether;
    table: ComingTable;
    result: ImportResult;
  }
  let { coming, table, result }: Props = $props();

  const given = (source: number, text: string, line: number) =>
    table.corrections.find(
      (one) => one.source === source && one.given === text && one.line === line,
    )?.instead ?? text;
</script>

<!-- The rows of a file that cannot come in: each cell can be put right where it is told. -->
<div class="border-line max-h-72 overflow-auto border">
  <Ledger aria-label="Rejected rows of {table.title}">
    <thead>
      <tr><th class="num">Line</th><th>Column</th><th>Stands there</th><th>Reason</th></tr>
    </thead>
    <tbody>
      {#each result.rejections as { line, column, source, given: text, problem }, i (i)}
        <tr>
          <td class="num">{line}</td>
          <td>{column ?? say('the row')}</td>
          <td>
            {#if source !== undefined && text !== undefined}
              <Input
                aria-label="{column} on line {line} of {table.title}"
                value={given(source, text, line)}
                onchange={({ currentTarget: { value } }) =>
                  coming.correct(table, { source, given: text, line, instead: value })}
              />
            {/if}
          </td>
          <td>{problem.message} <span class="text-soft">{problem.hint}</span></td>
        </tr>
      {/each}
    </tbody>
  </Ledger>
</div>
{#if result.rejections.length < result.rejectedRows}
  <p class="quiet">The first are listed, of {num(result.rejectedRows)} rows.</p>
{/if}
