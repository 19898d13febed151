<script lang="ts">
  import { num } from '$lib/core/words/say';
  import { Button } from '$lib/ui/parts';
  import { matchesAnswer, type Match } from '$lib/core/contract/answers';
  import { lookup } from '$lib/core/plan/draft';
  import type { Choices } from '$lib/core/plan/choices';
  import type { House } from '$lib/core/table/definition';
  import { call } from '$lib/ui/shared/api';

  interface Props {
    table: string;
    column: string;
    tables: House;
    onaccept: (choices: Choices) => void;
  }
  let { table, column, tables, onaccept }: Props = $props();

  let matches = $state.raw<Match[]>([]);

  $effect(() => {
    matches = [];
    void call(matchesAnswer, `/api/tables/${table}/columns/${column}/matches`).then((called) => {
      matches = called.ok ? called.value : [];
    });
  });

  /** The records of the other table, of which the key is stored. */
  function choicesOf(match: Match): Choices {
    const found = lookup(match.table, tables);
    const shown = found.shown.includes(match.column) ? found.shown : [match.column, ...found.shown];
    return { ...found, shown, stores: { kind: 'copy', column: match.column } };
  }

  function evidence({ values, matching }: Match): string {
    const all = num(values);
    return values === matching
      ? `each of its ${all} values is one`
      : `${num(matching)} of its ${all} values are`;
  }
</script>

{#each matches as match (`${match.table}.${match.column}`)}
  {@const to = tables.get(match.table)}
  <div class="flex flex-wrap items-baseline gap-2" role="status">
    <span>
      It looks as if these are <b>{to?.columns.find((c) => c.key === match.column)?.label}</b> of
      <b>{to?.title}</b>,
      {evidence(match)}.
      {#if match.exceptions.length > 0}
        <span class="text-crimson">Missing: {match.exceptions.join(', ')}.</span>
      {/if}
    </span>
    <Button kind="link" onclick={() => onaccept(choicesOf(match))}>Turn it into a lookup</Button>
  </div>
{/each}
