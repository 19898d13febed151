<script lang="ts">
  import { onDestroy, untrack } from 'svelte';
  import { firstControl } from '$lib/ui/shared/focus';
  import { num, say } from '$lib/core/words/say';
  import { reader } from '$lib/core/words/reader';
  import { Button, Input } from '$lib/ui/parts';
  import {
    operatorsFor,
    operatorWords,
    valuesTaken,
    type Condition,
    type Operator,
  } from '$lib/core/table/conditions';
  import { columnOf, type Table, type House } from '$lib/core/table/definition';
  import { reachablePaths, resolvePath } from '$lib/core/table/paths';
  import { formatValue } from '$lib/core/values/format';
  import type { Scalar } from '$lib/core/values/types';
  import OneCondition from '$lib/ui/shared/OneCondition.svelte';
  import ConditionValue from './ConditionValue.svelte';

  interface Props {
    table: Table;
    tables: House;
    conditions: readonly Condition[];
    /** For each condition on a reference, the records it names; otherwise `null`. */
    shownAs: readonly (string | null)[];
    search?: string;
    onconditions: (conditions: Condition[]) => void;
    /** Searches; without it there is no search. */
    onsearch?: (search: string) => void;
  }
  let { table, tables, conditions, shownAs, search = '', onconditions, onsearch }: Props = $props();

  /** So many values of a condition are said. */
  const mostSaid = 4;
  /** What is typed is searched for after so many milliseconds without a key. */
  const pause = 250;
  let waiting: ReturnType<typeof setTimeout> | undefined;
  onDestroy(() => clearTimeout(waiting));

  let adding = $state(false);
  let path = $derived(table.columns[0]?.key ?? 'id');
  const column = $derived(resolvePath(tables, table, path)?.column);
  const operators = $derived(column ? operatorsFor(column.type) : []);
  let operator = $derived<Operator>(operators[0] ?? 'equal');
  let values = $state<Scalar[]>([null, null]);
  let shown = $state<string[]>(['', '']);
  let searchBox = $state<HTMLInputElement>();
  const taken = $derived(valuesTaken(operator));
  const boxes = $derived(taken === 'many' ? 1 : taken);

  function add() {
    const given = values.slice(0, boxes);
    if (given.some((value) => value === null)) return;
    const condition: Condition = { path, operator, values: given };
    onconditions([...conditions, condition]);
    [adding, values, shown] = [false, [null, null], ['', '']];
  }

  function words(condition: Condition): string {
    const type = resolvePath(tables, table, condition.path)?.column.type;
    const said = condition.values.map((v) => (type ? formatValue(type, v, reader()) : String(v)));
    if (said.length <= mostSaid) return said.join(` ${say('and')} `);
    const first = said.slice(0, mostSaid - 1).join(', ');
    return say(`${first} and ${num(said.length - mostSaid + 1)} more`);
  }

  function label(of: string): string {
    const keys = of.split('.');
    return (
      resolvePath(tables, table, of)?.column.label ?? columnOf(table, keys[0] ?? '')?.label ?? of
    );
  }

  function onwindowkey(event: KeyboardEvent) {
    const typing = (event.target as HTMLElement).closest('input, textarea, select');
    if (event.key === '/' && !typing) {
      event.preventDefault();
      searchBox?.focus();
    }
  }
</script>

<svelte:window onkeydown={onwindowkey} />

<div class="contents" role="group" aria-label="Conditions">
  {#each conditions as condition, i (i)}
    <span class="chip">
      {label(condition.path)}
      <b>{operatorWords[condition.operator]} {shownAs[i] ?? words(condition)}</b>
      <Button
        kind="bare"
        aria-label="Remove the condition on {label(condition.path)}"
        onclick={() => onconditions(conditions.filter((_, k) => k !== i))}>×</Button
      >
    </span>
  {/each}
  {#if adding}
    <form
      {@attach (form) => untrack(() => firstControl(form)?.focus())}
      class="flex flex-wrap items-center gap-2"
      onsubmit={(event) => {
        event.preventDefault();
        add();
      }}
    >
      <OneCondition
        called={{ subject: say('Column'), comparison: say('Comparison') }}
        subjects={reachablePaths(tables, table, 1).map((to) => ({
          value: to.path,
          label: to.label,
        }))}
        subject={path}
        onsubject={(chosen) => (path = chosen)}
        comparisons={operators.map((op) => [op, operatorWords[op]] as const)}
        comparison={operator}
        oncomparison={(chosen) => (operator = chosen)}
      >
        {#if column}
          {#each { length: boxes } as _, i (`${path} ${i}`)}
            <div class="w-44">
              <ConditionValue
                id="filter-{i}"
                {column}
                label="Value"
                {tables}
                value={values[i] ?? null}
                shown={shown[i] ?? ''}
                onvalue={(value, line) => {
                  values[i] = value;
                  shown[i] = line;
                }}
              />
            </div>
          {/each}
        {/if}
      </OneCondition>
      <Button type="submit" kind="other">Apply</Button>
      <Button kind="link" onclick={() => (adding = false)}>Cancel</Button>
    </form>
  {:else}
    <Button kind="link" onclick={() => (adding = true)}>+ condition</Button>
  {/if}
  {#if onsearch}<form
      class="ms-auto w-56"
      role="search"
      onsubmit={(event) => {
        event.preventDefault();
        clearTimeout(waiting);
        onsearch(searchBox?.value ?? '');
      }}
    >
      <Input
        bind:element={searchBox}
        type="search"
        aria-label="Search {table.title}"
        placeholder="Search  /"
        value={search}
        oninput={({ currentTarget }) => {
          clearTimeout(waiting);
          waiting = setTimeout(() => onsearch(currentTarget.value), pause);
        }}
      />
    </form>{/if}
</div>
