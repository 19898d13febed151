<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { Button, Input, Select } from '$lib/ui/parts';
  import { nothingWanted } from '$lib/core/contract/answers';
  import { invalidate } from '$app/navigation';
  import {
    childrenOf,
    fieldForColumn,
    fieldForTable,
    addLines,
    plainField,
  } from '$lib/core/plan/draft';
  import { addSection } from '$lib/core/plan/edit';
  import type { Field, Plan } from '$lib/core/plan/schema';
  import type { PlanScope } from '$lib/core/plan/scopes';
  import { keyFrom, type Column, type House } from '$lib/core/table/definition';
  import { kindNames, simpleTypes, type ValueType } from '$lib/core/values/types';
  import { call } from '$lib/ui/shared/api';

  interface Props {
    plan: Plan;
    /** The scope that takes the field: the form itself, or a grid. */
    scope: PlanScope;
    tables: House;
    onadd: (field: Field) => void;
    /** Adds a section at the end. */
    onsection: (edit: (plan: Plan) => Plan) => void;
  }
  let { plan, scope, tables, onadd, onsection }: Props = $props();

  let added = $state('');
  /** What becomes of a label that is no column yet: a working field, or a column of this kind. */
  let becomes = $state('');
  let refused = $state('');

  const target = $derived(tables.get(scope.table));
  const keys = $derived(scope.fields.map((field) => field.key));
  const unused = $derived(
    (target?.columns ?? []).filter((c) => !scope.fields.some((f) => f.savesTo === c.key)),
  );
  /** The lines that take further lines: those of the form, where the cursor is in a grid within another. */
  const within = $derived(
    plan.sections.some((s) => s.key === scope.key && s.grid?.within === null) ? scope.key : null,
  );
  const children = $derived(
    childrenOf(within === null ? plan.table : scope.table, tables).filter(
      ({ table, link }) =>
        !plan.sections.some((s) => s.grid?.table === table.key && s.grid.link === link.key),
    ),
  );
  const wanted = $derived(added.trim().toLowerCase());
  const column = $derived(unused.find((c) => c.label.toLowerCase() === wanted || c.key === wanted));
  const table = $derived([...tables.values()].find((t) => t.title.toLowerCase() === wanted));

  /** The kinds of column that can be made on the spot. */
  const kinds: Record<string, ValueType> = Object.fromEntries(
    simpleTypes.map((type) => [type.kind, type]),
  );

  /** A typed column, table or label becomes a field. */
  async function add(event: SubmitEvent) {
    event.preventDefault();
    if (wanted === '') return;
    if (column) onadd(fieldForColumn(column, tables, keys));
    else if (table) onadd(fieldForTable(table, tables, keys));
    else {
      const type = kinds[becomes];
      const made = type ? await makeColumn(added.trim(), type) : null;
      if (type && !made) return;
      onadd(made ? fieldForColumn(made, tables, keys) : plainField(added.trim(), keys));
    }
    [added, becomes, refused] = ['', '', ''];
  }

  /** Makes a column of the target table; `null` where that is refused. */
  async function makeColumn(label: string, type: ValueType): Promise<Column | null> {
    const key = keyFrom(
      label,
      target?.columns.map((c) => c.key),
    );
    const column = { key, label, type, required: false, unique: false };
    const called = await call(nothingWanted, `/api/tables/${scope.table}/columns`, {
      body: column,
    });
    refused = called.ok ? '' : (called.problems[0]?.message ?? '');
    if (called.ok) await invalidate('unisor:tables');
    return called.ok ? column : null;
  }

  function addChild(word: string) {
    const child = children.find(({ table, link }) => `${table.key}.${link.key}` === word);
    const outer = within;
    if (child) onsection((p) => addLines(p, child.table, child.link.key, tables, outer));
  }
</script>

<form class="flex flex-wrap items-center gap-3 px-5 py-2" onsubmit={add}>
  <Input
    class="w-auto! min-w-48 grow"
    list="new-fields"
    aria-label="Add a field"
    placeholder="+ Add a field: type a column, a label or a table"
    bind:value={added}
  />
  <datalist id="new-fields">
    {#each unused as { key, label } (key)}
      <option value={label}>column of {target?.title}</option>
    {/each}
    {#each [...tables.values()] as { key, title } (key)}
      <option value={title}>look up the table {title}</option>
    {/each}
  </datalist>
  {#if wanted !== ''}
    {#if column}
      <span class="quiet">saves to {column.label} of {target?.title}</span>
    {:else if table}
      <span class="quiet">looks up {table.title}</span>
    {:else}
      <Select class="w-auto!" aria-label="What it becomes" bind:value={becomes}>
        <option value="">not saved</option>
        {#each Object.entries(kinds) as [word, type] (word)}
          <option value={word}>new column of {target?.title}: {kindNames[type.kind]}</option>
        {/each}
      </Select>
    {/if}
  {/if}
  <Button kind="link" type="submit" class="shrink-0" disabled={wanted === ''}>Add</Button>
  <Button
    kind="link"
    class="shrink-0"
    onclick={() => onsection((p) => addSection(p, say(`Section ${p.sections.length + 1}`)))}
    >+ a section</Button
  >
  {#if children.length > 0}
    <Select
      class="w-auto!"
      aria-label="Add lines of a table"
      value=""
      onchange={(event) => {
        addChild(event.currentTarget.value);
        event.currentTarget.value = '';
      }}
    >
      <option value=""
        >{within === null ? say('+ lines of …') : say('+ lines in each line …')}</option
      >
      {#each children as { table, link } (`${table.key}.${link.key}`)}
        <option value="{table.key}.{link.key}">{table.title}, linked by {link.label}</option>
      {/each}
    </Select>
  {/if}
  {#if refused}<span class="text-crimson" role="alert">{refused}</span>{/if}
</form>
