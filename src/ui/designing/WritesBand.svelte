<script lang="ts">
  import { listed, say } from '$lib/core/words/say';
  import { Button, Select } from '$lib/ui/parts';
  import {
    extraWriteSchema,
    writeOccasions,
    type ExtraWrite,
    type Plan,
  } from '$lib/core/plan/schema';
  import { occasionWords } from '$lib/core/plan/words';
  import type { House } from '$lib/core/table/definition';
  import { misfit } from '$lib/core/plan/formula-sites';
  import type { LiveScope } from './live-scope';
  import FormulaRow from './FormulaRow.svelte';

  interface Props {
    plan: Plan;
    tables: House;
    /** The live form and its grids, for formulas. */
    live: ReadonlyMap<string, LiveScope | null>;
    onedit: (edit: (plan: Plan) => Plan) => void;
  }
  let { plan, tables, live, onedit }: Props = $props();

  let open = $state<number | null>(null);
  const grids = $derived(plan.sections.filter((section) => section.grid !== null));
  const titleOf = (key: string) => grids.find((section) => section.key === key)?.title ?? key;

  function update(i: number, change: Partial<ExtraWrite>) {
    onedit((p) => ({ ...p, writes: p.writes.map((w, k) => (k === i ? { ...w, ...change } : w)) }));
  }

  function put(i: number, column: string, formula: string | null) {
    const values = { ...plan.writes[i]?.values };
    if (formula === null) delete values[column];
    else values[column] = formula;
    update(i, { values });
  }

  /** Writes a record of a table besides; its band opens. */
  export function add(table: string) {
    const made = extraWriteSchema.parse({ table, values: {} });
    open = plan.writes.length;
    onedit((p) => ({ ...p, writes: [...p.writes, made] }));
  }
</script>

<div class="contents" role="group" aria-label="Written besides">
  {#each plan.writes as write, i (i)}
    {@const table = tables.get(write.table)}
    <div class="flex items-baseline gap-3">
      <Button
        kind="bare"
        class="grow text-left"
        aria-expanded={open === i}
        onclick={() => (open = open === i ? null : i)}
      >
        <span class="quiet me-1" aria-hidden="true">{open === i ? '▾' : '▸'}</span> A save also {write.record ===
        null
          ? say('writes a')
          : say('changes the')}
        <b>{table?.title.toLowerCase() ?? write.table}</b>{write.each === null
          ? ''
          : ` ${say(`for each line of ${titleOf(write.each)}`)}`}, {occasionWords[write.on]}
        <span class="quiet">
          {listed(
            Object.keys(write.values).map(
              (key) => table?.columns.find((c) => c.key === key)?.label ?? key,
            ),
          )}{write.when === null ? '' : `, ${say('only under a condition')}`}
        </span>
      </Button>
      <Button
        kind="link"
        onclick={() => onedit((p) => ({ ...p, writes: p.writes.filter((_, k) => k !== i) }))}
        >Remove</Button
      >
    </div>
    {#if open === i && table}
      <div class="grid gap-2 py-2">
        <div class="flex flex-wrap items-center gap-3">
          <label class="flex items-center gap-2">
            <span>written</span>
            <Select
              class="w-auto!"
              aria-label="When it is written"
              value={write.on}
              onchange={({ currentTarget: { value } }) =>
                update(i, { on: value as ExtraWrite['on'] })}
            >
              {#each writeOccasions as on (on)}
                {#if on !== 'removal' || write.each !== null}
                  <option value={on}>{occasionWords[on]}</option>
                {/if}
              {/each}
            </Select>
          </label>
          {#if grids.length > 0}
            <label class="flex items-center gap-2">
              <Select
                class="w-auto!"
                value={write.each ?? ''}
                aria-label="For what it is written"
                onchange={(event) => update(i, { each: event.currentTarget.value || null })}
              >
                <option value="">once</option>
                {#each grids as { key, title } (key)}
                  <option value={key}>for each line of {title}</option>
                {/each}
              </Select>
            </label>
          {/if}
        </div>
        <FormulaRow
          id="write-{i}-record"
          label="Which record"
          value={write.record ?? ''}
          placeholder="a new one; or name one, to change it"
          live={live.get(write.each ?? '') ?? null}
          onchange={(record) => update(i, { record })}
        />
        {#each table.columns as { key, label, type } (key)}
          <FormulaRow
            id="write-{i}-{key}"
            {label}
            value={write.values[key] ?? ''}
            live={live.get(write.each ?? '') ?? null}
            misfit={(formula) => misfit(formula, { is: 'value', label, type, orKey: false })}
            onchange={(formula) => put(i, key, formula)}
          />
        {/each}
        <FormulaRow
          id="write-{i}-when"
          label="Only when"
          says="condition"
          value={write.when ?? ''}
          placeholder="copies > 0"
          live={live.get(write.each ?? '') ?? null}
          onchange={(when) => update(i, { when })}
        />
      </div>
    {/if}
  {/each}
</div>
