<script lang="ts">
  import { say } from '$lib/core/words/say';
  import type { ImportResult } from '$lib/core/contract/answers';
  import { Ledger } from '$lib/ui/parts';

  interface Props {
    rejections: ImportResult['rejections'];
  }
  let { rejections }: Props = $props();
</script>

<!-- The rows of a file that cannot come in, with their lines and why. -->
{#if rejections.length > 0}
  <div class="border-line max-h-64 overflow-auto border">
    <Ledger aria-label="Rejected rows">
      <thead><tr><th class="num">Line</th><th>Column</th><th>Reason</th></tr></thead>
      <tbody>
        {#each rejections as { line, column, problem }, i (i)}
          <tr>
            <td class="num">{line}</td>
            <td>{column ?? say('the row')}</td>
            <td>{problem.message} <span class="text-soft">{problem.hint}</span></td>
          </tr>
        {/each}
      </tbody>
    </Ledger>
  </div>
{/if}
