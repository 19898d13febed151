<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { doneAnswer, type RecordRow } from '$lib/core/contract/answers';
  import { columnOf, type House, type Table } from '$lib/core/table/definition';
  import { sameValue, type Value } from '$lib/core/values/types';
  import type { Problem } from '$lib/core/problems';
  import { Button, Modal, Select } from '$lib/ui/parts';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import { tellSaved } from '$lib/ui/shared/toasts.svelte';
  import ColumnInput from '$lib/ui/tables/ColumnInput.svelte';

  interface Props {
    table: Table;
    tables: House;
    looked: { by: string | null; sets: readonly { value: Value; label: string }[] };
    records: readonly RecordRow[];
    oncopied: () => void;
  }
  let { table, tables, looked, records, oncopied }: Props = $props();

  let open = $state(false);
  let from = $state(0);
  let to = $state.raw<Value>(null);
  let shown = $state('');
  let problems = $state.raw<Problem[]>([]);
  let copying = $state(false);
  const by = $derived(looked.by === null ? undefined : columnOf(table, looked.by));

  async function copy(event: SubmitEvent) {
    event.preventDefault();
    const set = looked.sets[from];
    if (!by || !set || copying) return;
    const add = records
      .filter(({ values }) => sameValue(values[by.key] ?? null, set.value))
      .map(({ values }) => {
        // Codes are numbered anew.
        const own = table.columns.filter(({ type }) => type.kind !== 'code');
        const copied = Object.fromEntries(own.map(({ key }) => [key, values[key] ?? null]));
        return { ...copied, [by.key]: to };
      });
    copying = true;
    const called = await call(doneAnswer, `/api/tables/${table.key}/together`, { body: { add } });
    copying = false;
    problems = called.ok ? [] : called.problems.slice(0, 5);
    if (!called.ok) return;
    open = false;
    tellSaved({ text: say(`${set.label} was copied.`) }, called.value.submission, oncopied);
    oncopied();
  }
</script>

{#if by && looked.sets.length > 0}
  <Button kind="link" onclick={() => ([open, problems, to] = [true, [], null])}>Copy a set</Button>
  <Modal bind:open size="sm" title="Copy a set">
    <form class="grid gap-3" onsubmit={copy}>
      <label class="grid gap-0.5">
        <span class="quiet">All questions of</span>
        <Select
          value={String(from)}
          onchange={(event) => (from = Number(event.currentTarget.value))}
        >
          {#each looked.sets as { label }, i (i)}<option value={String(i)}>{label}</option>{/each}
        </Select>
      </label>
      <label class="grid gap-0.5" for="copy-to">
        <span class="quiet">once more, with {by.label}</span>
        <ColumnInput
          id="copy-to"
          column={by}
          {tables}
          value={to}
          {shown}
          onvalue={(value, line) => ([to, shown] = [value, line])}
        />
      </label>
      <Problems {problems} />
      <div><Button type="submit" loading={copying} disabled={to === null}>Copy</Button></div>
    </form>
  </Modal>
{/if}
