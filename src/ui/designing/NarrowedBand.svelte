<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { Button, Select } from '$lib/ui/parts';
  import { knownAnswer } from '$lib/core/contract/answers';
  import { proposeCascades, type Cascade } from '$lib/core/plan/cascade';
  import { call } from '$lib/ui/shared/api';
  import { type Field, type Plan } from '$lib/core/plan/schema';
  import { narrowingOperator, tableChoices, type Narrowing } from '$lib/core/plan/choices';
  import { operatorsFor, operatorWords } from '$lib/core/table/conditions';
  import { namedLabel, type Named, type Sight } from '$lib/core/plan/sight';
  import type { House } from '$lib/core/table/definition';
  import { reachablePaths, resolvePath } from '$lib/core/table/paths';
  import { comparable, type ValueType } from '$lib/core/values/types';
  import OneCondition from '$lib/ui/shared/OneCondition.svelte';

  interface Props {
    /** The scope of the field, and what can be named there. */
    sight: Sight;
    plan: Plan;
    field: Field;
    tables: House;
    /** How many are offered in the live form now. */
    offered: string;
    onchange: (narrowings: Narrowing[]) => void;
    /** Takes a proposed cascade. */
    onedit: (edit: (plan: Plan) => Plan) => void;
  }
  let { sight, plan, field, tables, offered, onchange, onedit }: Props = $props();

  let proposals = $state.raw<Cascade[] | null>(null);
  let asking = $state(false);
  let failed = $state('');

  /** Asks what the data say; on the server, over all records. */
  async function propose() {
    asking = true;
    const address = `/api/tables/${source?.table ?? ''}/known`;
    const called = await call(knownAnswer, address);
    asking = false;
    if (!called.ok) return void (failed = called.problems[0]?.message ?? '');
    const known = {
      records: new Map(called.value.records),
      dependencies: new Map(called.value.dependencies),
    };
    proposals = proposeCascades(plan, tables, known, sight.key).filter(
      (c) => c.field === field.key,
    );
  }

  function accept(cascade: Cascade) {
    proposals = null;
    onedit(cascade.apply);
  }

  function focus(node: HTMLElement) {
    node.focus();
  }

  const source = $derived(tableChoices(field) ?? field.rollup);
  const table = $derived(source ? tables.get(source.table) : undefined);
  const narrowings = $derived(source?.narrowings ?? []);
  const paths = $derived(table ? reachablePaths(tables, table, 3) : []);
  const others = $derived(sight.named.filter(({ name }) => name !== field.key));

  /** Comparisons with one other value. */
  const comparisonsFor = (type: ValueType) =>
    operatorsFor(type)
      .map((operator) => narrowingOperator.safeParse(operator).data)
      .filter((operator) => operator !== undefined)
      .map((operator) => [operator, operatorWords[operator]] as const);

  /** The nearest column that can be compared with a field; the first column where there is none. */
  function pathFor(other: Named): string {
    const fitting = paths.filter(({ column }) => comparable(column.type, other.type));
    const { savesTo, key } = other.field;
    const named = fitting.find(({ path }) => path === savesTo || path === key);
    return (named ?? fitting[0] ?? paths[0])?.path ?? 'id';
  }

  function add() {
    const used = new Set(narrowings.map((n) => n.field));
    const before = others
      .slice(
        0,
        sight.fields.findIndex((f) => f.key === field.key),
      )
      .reverse();
    const next = [...before, ...others].find((other) => {
      const path = table && resolvePath(tables, table, pathFor(other));
      return !used.has(other.name) && path && comparable(path.column.type, other.type);
    });
    const by = next ?? others[0];
    if (!by) return;
    onchange([
      ...narrowings,
      { path: pathFor(by), operator: 'equal', field: by.name, whileEmpty: 'nothing' },
    ]);
  }

  function update(i: number, change: Partial<Narrowing>) {
    onchange(narrowings.map((n, k) => (k === i ? { ...n, ...change } : n)));
  }
</script>

<div class="grid gap-2.5">
  <div>
    <b
      >Which records of {table?.title ?? say('the table')} are {field.rollup
        ? say('totalled')
        : say('offered')}?</b
    >
    <span class="text-soft">
      {#if !table}First choose where the values come from.
      {:else if narrowings.length === 0}All of them.
      {:else}Those where …{/if}
    </span>
    <span class="quiet ms-2">{offered}</span>
  </div>
  {#each narrowings as narrowing, i (i)}
    {@const type = table ? resolvePath(tables, table, narrowing.path)?.column.type : undefined}
    <OneCondition
      called={{ subject: say('Column that is compared'), comparison: say('Comparison') }}
      subjects={paths.map(({ path, label }) => ({ value: path, label }))}
      subject={narrowing.path}
      onsubject={(path) => update(i, { path })}
      comparisons={type ? comparisonsFor(type) : []}
      comparison={narrowing.operator}
      oncomparison={(operator) => update(i, { operator })}
    >
      <Select
        class="w-auto!"
        aria-label="Field that narrows"
        value={narrowing.field}
        onchange={(event) => update(i, { field: event.currentTarget.value })}
      >
        {#each others as { name, label } (name)}<option value={name}>field {label}</option>{/each}
      </Select>
      <label class="flex items-center gap-2">
        <span>while {namedLabel(sight, narrowing.field)} is empty offer</span>
        <Select
          class="w-auto!"
          value={narrowing.whileEmpty}
          onchange={(event) =>
            update(i, { whileEmpty: event.currentTarget.value as Narrowing['whileEmpty'] })}
        >
          <option value="nothing">nothing</option>
          <option value="everything">everything</option>
        </Select>
      </label>
      <Button kind="link" onclick={() => onchange(narrowings.filter((_, k) => k !== i))}
        >Remove</Button
      >
    </OneCondition>
  {/each}
  {#if table && !field.rollup && narrowings.length === 0}
    <div class="grid gap-1.5">
      {#if proposals === null}
        <div>
          <Button kind="link" disabled={asking} onclick={propose}>
            {asking ? say('looking through the records…') : say('Suggest from the data')}
          </Button>
          <span class="text-crimson">{failed}</span>
        </div>
      {:else}
        {#each proposals as cascade (cascade.title)}
          <div class="flex flex-wrap items-baseline gap-3">
            <b>{cascade.title}</b>
            <span class="quiet">{cascade.evidence.join(', ')}</span>
            <Button kind="link" {@attach focus} onclick={() => accept(cascade)}>Take it</Button>
            {#each cascade.exceptions as exception (exception)}
              <span class="text-slate w-full">But {exception}</span>
            {/each}
          </div>
        {:else}
          <span class="text-soft">The data do not suggest a narrowing here.</span>
        {/each}
      {/if}
    </div>
  {/if}
  {#if table && others.length > 0}
    <div>
      <Button kind="link" onclick={add}>
        {narrowings.length === 0 ? say('+ narrow by a field') : say('+ another condition')}
      </Button>
    </div>
  {/if}
</div>
