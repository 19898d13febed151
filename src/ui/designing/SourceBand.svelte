<script lang="ts">
  import { matchesAnswer, type Match } from '$lib/core/contract/answers';
  import { call } from '$lib/ui/shared/api';
  import { compileIn } from '$lib/core/plan/formulas';
  import { misfit, wantedOf } from '$lib/core/plan/formula-sites';
  import { typeForKind } from '$lib/core/wiring/examine';
  import { heldTypeIn } from '$lib/core/plan/held';
  import { type Field, type Rollup } from '$lib/core/plan/schema';
  import type { Choices } from '$lib/core/plan/choices';
  import type { Sight } from '$lib/core/plan/sight';
  import type { House } from '$lib/core/table/definition';
  import { displayPaths } from '$lib/core/table/paths';
  import type { LiveScope } from './live-scope';
  import ChoicesBand from './ChoicesBand.svelte';
  import ColumnsBand from './ColumnsBand.svelte';
  import OutsideBand from './OutsideBand.svelte';
  import KeyProposals from './KeyProposals.svelte';
  import ComesFrom from './ComesFrom.svelte';
  import { choicesFitting, choicesOfMatch, originsOf, type Origin } from './comes-from';
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
  /** What the data speak for, where a person types the value of a column. */
  let matches = $state.raw<readonly Match[]>([]);
  const asked = $derived(source === '' && field.savesTo !== null ? field.savesTo : null);
  $effect(() => {
    matches = [];
    if (asked === null || broughtBy) return;
    const address = `/api/tables/${sight.table}/columns/${asked}/matches`;
    void call(matchesAnswer, address).then((called) => {
      if (called.ok) matches = called.value;
    });
  });
  const broughtBy = $derived(
    sight.fields.find((f) => f.brings.some((b) => b.into === field.key)) ?? null,
  );

  const origins = $derived(
    originsOf({ tables, lookups, matches, broughtBy: broughtBy?.label ?? null }),
  );

  function choose({ word, match }: Origin) {
    if (match) return onchange({ ...nothing, choices: choicesOfMatch(match, tables) });
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
    if (kind === 'table') return choicesFitting(name, tables, heldTypeIn(sight, field, tables));
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
    return { table, aggregate: 'count', path: null, conditions: [], less: [], narrowings: [] };
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
    <ComesFrom id="source" word={source} {origins} onchoose={choose} />
  </div>
  {#if source === 'formula'}
    <FormulaRow
      id="computes-{field.key}"
      label="Computed as"
      value={field.computes ?? ''}
      placeholder="rate * copies * weeks"
      starts={wantsFormula}
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
    <KeyProposals
      {matches}
      {tables}
      onaccept={(match) => onchange({ choices: choicesOfMatch(match, tables) })}
    />
    <ChoicesBand {sight} {field} {tables} onchange={(choices) => onchange({ choices })} />
  {/if}
</div>
