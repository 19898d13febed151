<script lang="ts">
  import { onDestroy } from 'svelte';
  import { wordsAnswer } from '$lib/core/contract/answers';
  import { secondsFor } from '$lib/core/plan/indexes';
  import type { Problem } from '$lib/core/problems';
  import type { Table } from '$lib/core/table/definition';
  import { countWords } from '$lib/core/words/about';
  import { num, plural, say } from '$lib/core/words/say';
  import { Button } from '$lib/ui/parts';
  import { call } from '$lib/ui/shared/api';
  import { mayPlace } from '$lib/ui/shared/may';
  import Problems from '$lib/ui/shared/Problems.svelte';

  interface Props {
    table: Table;
    /** How far its words are indexed. */
    words: { lacking: readonly string[]; underWay: readonly { share: number }[] };
    /** How many records the table has, about. */
    records: number;
    /** Called once all words are indexed. */
    ondone: () => void;
  }
  let { table, words, records, ondone }: Props = $props();

  let busy = $state(false);
  let problems = $state.raw<Problem[]>([]);
  /** How far they have come since the page was read. */
  let newer = $state.raw<Props['words'] | null>(null);
  const now = $derived(newer ?? words);
  const share = $derived(Math.min(1, ...now.underWay.map((one) => one.share)));
  const seconds = $derived(secondsFor({ kind: 'search', columns: [] }, records));
  const took = $derived(plural(seconds, ['about # second', 'about # seconds']));

  async function ask(method: 'GET' | 'POST') {
    const called = await call(wordsAnswer, `/api/tables/${table.key}/words`, { method });
    problems = called.ok ? [] : called.problems;
    if (!called.ok) return;
    newer = called.value;
    if (newer.lacking.length + newer.underWay.length === 0) ondone();
  }

  async function make() {
    busy = true;
    await ask('POST');
    busy = false;
  }

  const timer = setInterval(() => {
    if (now.underWay.length > 0 && mayPlace('tables')) void ask('GET');
  }, 3000);
  onDestroy(() => clearInterval(timer));
</script>

<!-- That searching looks through all records of a large table, and what can be done about it. -->
<div class="border-line bg-wash flex flex-wrap items-center gap-x-3 border-b px-5 py-1 text-[13px]">
  {#if now.underWay.length > 0}
    <span role="status">
      {say(
        `The words of ${table.title} are being indexed: ${num(Math.floor(share * 100))} % so far. Until all are, searching looks through the records.`,
      )}
    </span>
  {:else if now.lacking.length > 0}
    <span>{say(`Searching looks through ${countWords(records)} records.`)}</span>
    {#if mayPlace('tables')}
      <Button kind="link" loading={busy} onclick={make}>Index the words</Button>
      <span class="quiet">{say(`${took}; others can work meanwhile`)}</span>
    {/if}
  {:else}
    <span>All words are indexed.</span>
  {/if}
  <Problems {problems} />
</div>
