<script lang="ts">
  import { invalidateAll } from '$app/navigation';
  import { indexAnswer } from '$lib/core/contract/answers';
  import { secondsFor } from '$lib/core/plan/indexes';
  import type { Problem } from '$lib/core/problems';
  import type { Table } from '$lib/core/table/definition';
  import type { SlowView } from '$lib/core/plan/slow-view';
  import { countWords } from '$lib/core/words/about';
  import { listed, plural, say } from '$lib/core/words/say';
  import { Button } from '$lib/ui/parts';
  import { call } from '$lib/ui/shared/api';
  import { mayPlace } from '$lib/ui/shared/may';
  import Problems from '$lib/ui/shared/Problems.svelte';

  interface Props {
    table: Table;
    slow: SlowView;
    /** How many records the table has, about. */
    records: number;
    /** Whether the database is a cluster, which holds saves up while it makes an index. */
    clustered: boolean;
  }
  let { table, slow, records, clustered }: Props = $props();

  let busy = $state(false);
  let problems = $state.raw<Problem[]>([]);
  const { index } = $derived(slow);
  const by = $derived(listed(slow.columns.map(({ label }) => label)));
  const seconds = $derived(index ? secondsFor(index, records) : 0);

  const took = $derived(plural(seconds, ['about # second', 'about # seconds']));

  async function make() {
    busy = true;
    const body = { columns: index?.columns ?? [] };
    const called = await call(indexAnswer, `/api/tables/${table.key}/indexes`, { body });
    busy = false;
    problems = called.ok ? [] : called.problems;
    if (called.ok) await invalidateAll();
  }
</script>

<!-- That a view looks through all records of a large table, and what can be done about it. -->
<div class="border-line bg-wash flex flex-wrap items-center gap-x-3 border-b px-5 py-1 text-[13px]">
  <span>
    {slow.by === 'sort'
      ? say(`Sorting by ${by} looks through ${countWords(records)} records.`)
      : say(`Narrowing by ${by} looks through ${countWords(records)} records.`)}
  </span>
  {#if index && mayPlace('tables')}
    <Button kind="link" loading={busy} onclick={make}>Make an index</Button>
    <span class="quiet">
      {clustered
        ? say(`${took}; nobody can save meanwhile, because the database is a cluster`)
        : say(`${took}; others can work meanwhile`)}
    </span>
  {:else if !index}
    <span class="quiet">An index would not help.</span>
  {/if}
  <Problems {problems} />
</div>
