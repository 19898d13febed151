<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { reader } from '$lib/core/words/reader';
  import { Button, Ledger } from '$lib/ui/parts';
  import type { OutsideColumn } from '$lib/core/outside/query';
  import { formatValue } from '$lib/core/values/format';
  import { isAmount } from '$lib/core/values/types';
  import AnswerTree from './AnswerTree.svelte';
  import type { Tried } from '$lib/core/contract/answers';

  interface Props {
    tried: Tried;
    columns: readonly OutsideColumn[];
    /** Where the rows stand in the answer. */
    rows: string;
    onrows: (path: string) => void;
    oncolumn: (path: string, value: unknown) => void;
    ontakeall: () => void;
  }
  let { tried, columns, rows, onrows, oncolumn, ontakeall }: Props = $props();

  const taken = $derived(new Set(columns.map(({ path }) => path)));
</script>

<div>
  <h2>
    {tried.rows
      ? `${tried.found} ${tried.found === 1 ? say('row') : say('rows')}`
      : say('No rows there')}
    <span class="quiet font-sans!">in {tried.took} ms</span>
  </h2>
  {#if tried.rows && tried.rows.misfits.length > 0}
    <p class="text-crimson m-0">
      Some values do not fit their type and are left empty: {tried.rows.misfits.join(', ')}.
    </p>
  {/if}
  {#if tried.rows && columns.length > 0}
    <div class="mt-2 max-h-64 overflow-auto">
      <Ledger class="border-line border">
        <thead>
          <tr>
            {#each columns as { key, label, type } (key)}
              <th class:num={isAmount(type)}>{label}</th>
            {/each}
          </tr>
        </thead>
        <tbody>
          {#each tried.rows.rows as row, i (i)}
            <tr>
              {#each columns as { key, type } (key)}
                <td class:num={isAmount(type)}>{formatValue(type, row[key] ?? null, reader())}</td>
              {/each}
            </tr>
          {/each}
        </tbody>
      </Ledger>
    </div>
  {/if}
</div>
<div>
  <h2 class="mb-1">
    Raw answer
    <Button kind="link" class="ms-3 font-sans!" onclick={ontakeall}>Take all as columns</Button>
  </h2>
  <ul class="m-0 max-h-96 list-none overflow-auto p-0">
    <AnswerTree value={tried.answer} {rows} {taken} {onrows} {oncolumn} />
  </ul>
</div>
