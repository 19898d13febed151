<script lang="ts">
  import { Select } from '$lib/ui/parts';
  import { compileIn } from '$lib/core/plan/formulas';
  import { misfit, wantedOf } from '$lib/core/plan/formula-sites';
  import { typeForKind } from '$lib/core/wiring/examine';
  import { lookup } from '$lib/core/plan/draft';
  import { heldTypeIn } from '$lib/core/plan/held';
  import { type Field, type Rollup } from '$lib/core/plan/schema';
  import type { Choices } from '$lib/core/plan/choices';
  import type { Sight } from '$lib/core/plan/sight';
  import type { House } from '$lib/core/table/definition';
  import { displayPaths } from '$lib/core/table/paths';
  import type { LiveScope } from '$lib/ui/filling/session.svelte';
  import ChoicesBand from './ChoicesBand.svelte';
  import ColumnsBand from './ColumnsBand.svelte';
  import OutsideBand from './OutsideBand.svelte';
  import KeyProposals from './KeyProposals.svelte';
  import FormulaRow from './FormulaRow.svelte';
  import RollupBand from './RollupBand.svelte';

  interface Props {
    /** The scope of the field, and what can be named there. */
    sight: Sight;
    field: Field;
    tables: House;
    live: LiveScope | null;
    onchange: (change: Partial<Omit<Field, 'key'>>) => void;
  }
  let { sight, field, tables, live, onchange }: Props = $props();

  /** Whether a formula is wanted that is not written yet. */
  let wantsFormula = $state(false);
  const nothing = { choices: null, computes: null, rollup: null, outside: null };
  const lookups = $derived(
    sight.fields.filter((f) => f !== field && heldTypeIn(sight, f, tables).kind === 'reference'),
  );
  const source = $derived.by(() => {
    if (wantsFormula || field.computes !== null) return 'formula';
    if (field.rollup) return `rollup:${field.rollup.table}`;
    if (field.outside) return `value:${field.outside.query}`;
    const { choices } = field;
    if (choices?.kind === 'table') return `table:${choices.table}`;
    if (choices?.kind === 'options') return `options:${choices.list}`;
    if (choices?.kind === 'outside') return `outside:${choices.query}`;
    return choices?.kind === 'columns' ? `columns:${choices.of}` : (choices?.kind ?? '');
  });
  const queries = $derived([...tables.queries.values()]);
  const lists = $derived([...tables.lists.values()]);
  const broughtBy = $derived(
    sight.fields.find((f) => f.brings.some((b) => b.into === field.key)) ?? null,
  );

  function choose(word: string) {
    const [kind, name = ''] = word.split(':');
    wantsFormula = kind === 'formula';
    if (kind === '') return onchange(nothing);
    if (kind === 'formula') return;
    if (kind === 'rollup') return onchange({ ...nothing, rollup: rollupOf(name) });
    if (kind === 'value') {
      const column = tables.queries.get(name)?.columns[0]?.key ?? '';
      return onchange({ ...nothing, outside: { query: name, column, given: [] } });
    }
    onchange({ ...nothing, choices: choicesOf(kind ?? '', name) });
  }

  function choicesOf(kind: string, name: string): Choices {
    if (kind === 'table') return lookup(name, tables);
    if (kind === 'values') return { kind: 'values', values: [] };
    if (kind === 'options') return { kind: 'options', list: name, by: null };
    if (kind === 'outside') {
      const columns = tables.queries.get(name)?.columns.map(({ key }) => key) ?? [];
      const base = { kind: 'outside' as const, query: name, stores: columns[0] ?? '' };
      return { ...base, shown: columns.slice(0, 3), given: [], takeOnly: false };
    }
    const type = sight.named.find((one) => one.name === name)?.type;
    const table = type?.kind === 'reference' ? tables.get(type.table) : undefined;
    return { kind: 'columns', of: name, paths: table ? displayPaths(tables, table) : ['id'] };
  }

  function rollupOf(table: string): Rollup {
    return { table, aggregate: 'count', path: null, conditions: [], narrowings: [] };
  }

  /** A field that nothing tells what it holds takes what the formula gives. */
  function compute(formula: string | null) {
    wantsFormula = false;
    const compiled = formula === null ? null : compileIn(live?.names, formula);
    const kind = compiled && 'formula' in compiled ? compiled.formula.kind : null;
    const told = field.savesTo !== null || field.holds !== null;
    const holds = told || kind === null ? field.holds : typeForKind(kind);
    onchange({ ...nothing, computes: formula, holds });
  }
</script>

<div class="grid gap-2.5">
  <div class="flex flex-wrap items-center gap-2">
    <label class="font-semibold" for="source">Where does its value come from?</label>
    <Select
      id="source"
      class="w-auto!"
      value={source}
      onchange={(event) => choose(event.currentTarget.value)}
    >
      <option value="">{broughtBy ? `${broughtBy.label} brings it` : 'a person types it'}</option>
      <option value="values">values typed here</option>
      {#if lists.length > 0}
        <optgroup label="Chosen from the option list">
          {#each lists as { key, title } (key)}<option value="options:{key}">list {title}</option
            >{/each}
        </optgroup>
      {/if}
      <optgroup label="Chosen among records of">
        {#each [...tables.values()] as { key, title } (key)}
          <option value="table:{key}">table {title}</option>
        {/each}
      </optgroup>
      <optgroup label="Worked out">
        <option value="formula">a formula</option>
        {#each [...tables.values()] as { key, title } (key)}
          <option value="rollup:{key}">totalled over {title}</option>
        {/each}
      </optgroup>
      {#if queries.length > 0}
        <optgroup label="Asked of an outside system">
          {#each queries as { key, title } (key)}
            <option value="value:{key}">a value of {title}</option>
            <option value="outside:{key}">chosen among the rows of {title}</option>
          {/each}
        </optgroup>
      {/if}
      {#if lookups.length > 0}
        <optgroup label="Which column to read">
          {#each lookups as { key, label } (key)}
            <option value="columns:{key}">a column of {label}</option>
          {/each}
        </optgroup>
      {/if}
    </Select>
  </div>
  {#if source === 'formula'}
    <FormulaRow
      id="computes-{field.key}"
      label="Computed as"
      value={field.computes ?? ''}
      placeholder="rate * copies * weeks"
      type={field.savesTo === null && field.holds === null
        ? undefined
        : heldTypeIn(sight, field, tables)}
      {live}
      misfit={(formula) =>
        field.savesTo === null && field.holds === null
          ? null
          : misfit(formula, wantedOf({ at: 'computes' }, field, heldTypeIn(sight, field, tables)))}
      onchange={compute}
    />
  {:else if field.rollup}
    <RollupBand rollup={field.rollup} {tables} onchange={(rollup) => onchange({ rollup })} />
  {:else if field.outside || field.choices?.kind === 'outside'}
    <OutsideBand {sight} {field} {tables} {onchange} />
  {:else if field.choices?.kind === 'columns'}
    <ColumnsBand
      {sight}
      choices={field.choices}
      {tables}
      onchange={(choices) => onchange({ choices })}
    />
  {:else}
    {#if source === '' && field.savesTo !== null && !broughtBy}
      <KeyProposals
        table={sight.table}
        column={field.savesTo}
        {tables}
        onaccept={(choices) => onchange({ choices })}
      />
    {/if}
    <ChoicesBand {sight} {field} {tables} onchange={(choices) => onchange({ choices })} />
  {/if}
</div>
