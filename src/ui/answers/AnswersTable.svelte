<script lang="ts">
  import { num } from '$lib/core/words/say';
  import { Ledger } from '$lib/ui/parts';
  import type { AnswerLine } from './lines';

  let { lines, compares }: { lines: readonly AnswerLine[]; compares: boolean } = $props();
</script>

<Ledger class="border-line border">
  <thead>
    <tr>
      <th>Question</th><th>Answer</th><th class="text-end">This period</th>
      {#if compares}<th class="text-end">Before</th>{/if}
    </tr>
  </thead>
  <tbody>
    {#each lines as { question, answer, n, before }, i (i)}
      <tr>
        <td>{question}</td>
        <td>{answer}</td>
        <td class="text-end tabular-nums">{num(n)}</td>
        {#if compares}<td class="text-end tabular-nums">{num(before)}</td>{/if}
      </tr>
    {/each}
  </tbody>
</Ledger>
