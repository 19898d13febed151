<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { reader } from '$lib/core/words/reader';
  import { editionAnswer, editionsAnswer, type EditionHead } from '$lib/core/contract/answers';
  import { Button, FileInput, Modal, Select, Spinner } from '$lib/ui/parts';
  import { comparePlans } from '$lib/core/plan/compare';
  import { readPlanFile } from '$lib/core/formats/plan-file';
  import type { NamedRehearsal } from '$lib/core/rehearsal/rehearsal';
  import { type Plan } from '$lib/core/plan/schema';
  import { problem, type Problem } from '$lib/core/problems';
  import type { House } from '$lib/core/table/definition';
  import { formatValue } from '$lib/core/values/format';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import Changes from './Changes.svelte';

  interface Props {
    open: boolean;
    formKey: string;
    draft: Plan;
    tables: House;
    /** Takes a plan as the draft; it can be undone. */
    onrestore: (plan: Plan, rehearsals?: readonly NamedRehearsal[]) => void;
  }
  let { open = $bindable(), formKey, draft, tables, onrestore }: Props = $props();

  let editions = $state.raw<EditionHead[]>([]);
  let plans = $state.raw<ReadonlyMap<number, Plan>>(new Map());
  let problems = $state.raw<Problem[]>([]);
  let loading = $state(false);
  /** The numbers compared; 0 is the draft. */
  let from = $state(0);
  let to = $state(0);

  const over = $derived(editions.find(({ number }) => number === from)?.over ?? null);
  const before = $derived(from === 0 ? draft : plans.get(from));
  const after = $derived(to === 0 ? draft : plans.get(to));
  const changes = $derived(before && after ? comparePlans(before, after, tables) : null);

  $effect(() => {
    if (open) void load();
  });

  async function load() {
    loading = true;
    const called = await call(editionsAnswer, `/api/forms/${formKey}/editions`);
    loading = false;
    if (!called.ok) return void (problems = called.problems);
    editions = called.value;
    problems = [];
    await choose(editions[0]?.number ?? 0, 0);
  }

  async function choose(first: number, second: number) {
    [from, to] = [first, second];
    for (const number of [first, second]) {
      if (number === 0 || plans.has(number)) continue;
      const called = await call(editionAnswer, `/api/forms/${formKey}/editions/${number}`);
      if (!called.ok) return void (problems = called.problems);
      plans = new Map([...plans, [number, called.value.plan]]);
    }
  }

  /** The keys begin with what is compared, once there is something. */
  let first = $state<HTMLSelectElement>();
  $effect(() => {
    if (open) first?.focus();
  });

  function restore(number: number) {
    const plan = plans.get(number);
    if (!plan) return;
    open = false;
    onrestore(plan);
  }

  async function bringIn(event: Event & { currentTarget: HTMLInputElement }) {
    const file = event.currentTarget.files?.[0];
    event.currentTarget.value = '';
    if (!file) return;
    const read = readPlanFile(await file.text());
    if ('problems' in read) return void (problems = read.problems);
    if (read.plan.table !== draft.table) {
      problems = [
        problem('plan_invalid', { reason: say(`it is for the table “${read.plan.table}”`) }),
      ];
      return;
    }
    open = false;
    onrestore(read.plan, read.rehearsals);
  }

  const name = (number: number) => (number === 0 ? say('the draft') : say(`edition ${number}`));
</script>

<Modal bind:open size="xl" title="Editions">
  <div class="grid gap-3">
    <Problems {problems} />
    {#if loading && editions.length === 0}
      <Spinner size="5" />
    {:else if editions.length === 0}
      <p class="text-soft">Nothing has been published yet. Publishing makes the draft edition 1.</p>
    {:else}
      <div class="flex flex-wrap items-center gap-2">
        <span>What changed from</span>
        <Select
          class="w-auto!"
          aria-label="Compared from"
          bind:element={first}
          value={from}
          onchange={(event) => choose(Number(event.currentTarget.value), to)}
        >
          {#each editions as { number, by, at } (number)}
            <option value={number}>
              edition {number}, {formatValue({ kind: 'date_time' }, at, reader())} by {by}
            </option>
          {/each}
          <option value={0}>the draft</option>
        </Select>
        <span>to</span>
        <Select
          class="w-auto!"
          aria-label="Compared to"
          value={to}
          onchange={(event) => choose(from, Number(event.currentTarget.value))}
        >
          <option value={0}>the draft</option>
          {#each editions as { number } (number)}
            <option value={number}>edition {number}</option>
          {/each}
        </Select>
        {#if from > 0}
          <Button kind="other" onclick={() => restore(from)}>
            Make edition {from} the draft
          </Button>
        {/if}
      </div>
      {#if over !== null}
        <p class="m-0">
          <span class="text-crimson">{name(from)} was published over rehearsals that failed:</span>
          {over}
        </p>
      {/if}
      {#if changes === null}
        <Spinner size="5" />
      {:else if changes.length === 0}
        <p class="text-soft">{name(from)} and {name(to)} are the same.</p>
      {:else}
        <div class="max-h-100 overflow-auto"><Changes {changes} /></div>
      {/if}
    {/if}
    <div class="border-line flex flex-wrap items-center gap-4 border-t pt-3">
      <a class="textlink" href="/api/forms/{formKey}/plan.json" download
        >Export the plan as a file</a
      >
      <label class="textlink cursor-pointer">
        Import a plan
        <FileInput class="sr-only" accept="application/json,.json" onchange={bringIn} />
      </label>
      <a class="textlink" href="/api/plan-schema.json" target="_blank" rel="noreferrer"
        >JSON Schema of plans</a
      >
    </div>
  </div>
</Modal>
