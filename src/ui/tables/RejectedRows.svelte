<script lang="ts">
  import { num, say } from '$lib/core/words/say';
  import type { ImportResult } from '$lib/core/contract/answers';
  import { Input, Ledger } from '$lib/ui/parts';
  import type { Correction } from './corrections';

  interface Props {
    /** The title of the table that the rows are meant for. */
    title: string;
    result: ImportResult;
    oncorrect: (correction: Correction) => void;
  }
  let { title, result, oncorrect }: Props = $props();
</script>

<!-- The rows of a file that cannot come in: each cell can be put right where it is told. -->
{#if result.rejections.length > 0}
  <div class="border-line max-h-72 overflow-auto border">
    <Ledger aria-label="Rejected rows of {title}">
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
                  data-settle
                  aria-label="{column} on line {line} of {title}"
                  value={text}
                  onchange={({ currentTarget: { value } }) =>
                    oncorrect({ source, line, instead: value })}
                />
              {/if}
            </td>
            <td>{problem.message} <span class="text-soft">{problem.hint}</span></td>
          </tr>
        {/each}
      </tbody>
    </Ledger>
  </div>
{/if}
{#if result.rejections.length < result.rejectedRows}
  <p class="quiet">The first are listed, of {num(result.rejectedRows)} rows.</p>
{/if}
