<script lang="ts">
  import { Button, Input, Select } from '$lib/ui/parts';
  import { plainField } from '$lib/core/plan/draft';
  import { addField } from '$lib/core/plan/edit';
  import { type Plan, type Through } from '$lib/core/plan/schema';
  import { fieldsOf } from '$lib/core/plan/scopes';
  import type { House } from '$lib/core/table/definition';

  interface Props {
    plan: Plan;
    tables: House;
    onedit: (edit: (plan: Plan) => Plan) => void;
  }
  let { plan, tables, onedit }: Props = $props();

  const through = $derived(plan.through ?? null);
  const query = $derived(through ? tables.queries.get(through.query) : undefined);

  const update = (change: Partial<Through>) =>
    onedit((p) => (p.through ? { ...p, through: { ...p.through, ...change } } : p));

  /** Lets the form pass through to a query: its columns become fields that store nothing. */
  export function pass(key: string) {
    const chosen = tables.queries.get(key);
    if (!chosen) return;
    onedit((p) => {
      const columns: Record<string, string> = {};
      let made: Plan = {
        ...p,
        sections: p.sections.filter(({ grid }) => !grid).map((s) => ({ ...s, fields: [] })),
        writes: [],
        startsAt: null,
      };
      for (const column of chosen.columns) {
        const field = plainField(
          column.label,
          fieldsOf(made).map((one) => one.key),
        );
        columns[field.key] = column.key;
        made = addField(made, field);
      }
      const opens = chosen.parameters[0]?.key ?? '';
      return { ...made, through: { query: key, key: opens, write: null, columns } };
    });
  }

  function show(field: string, column: string) {
    const columns = { ...through?.columns };
    if (column === '') delete columns[field];
    else columns[field] = column;
    update({ columns });
  }
</script>

{#if through}
  <div class="grid gap-2" role="group" aria-label="Passes through">
    <div>
      This form passes through to <b>{query?.title ?? through.query}</b>: it shows a record of the
      outside system, and <b>stores nothing here</b>.
      <Button kind="link" class="ms-3" onclick={() => onedit((p) => ({ ...p, through: null }))}
        >Store records here instead</Button
      >
    </div>
    {#if query}
      <div class="flex flex-wrap items-center gap-3">
        <label class="flex items-center gap-2">
          <span>opened by</span>
          <Select
            class="w-auto!"
            value={through.key}
            onchange={(event) => update({ key: event.currentTarget.value })}
          >
            {#each query.parameters as { key, label } (key)}<option value={key}>{label}</option
              >{/each}
          </Select>
        </label>
        <label class="flex items-center gap-2">
          <span>written back</span>
          <Select
            class="w-auto!"
            value={through.write?.method ?? ''}
            onchange={({ currentTarget: { value } }) =>
              update({
                write:
                  value === ''
                    ? null
                    : { method: value as 'PUT', address: through.write?.address ?? '' },
              })}
          >
            <option value="">not at all</option>
            <option value="PUT">with PUT</option>
            <option value="PATCH">with PATCH</option>
            <option value="POST">with POST</option>
          </Select>
        </label>
        {#if through.write}
          <Input
            class="w-60! font-mono text-[13px]!"
            aria-label="Address to write back to"
            placeholder={query.text}
            value={through.write.address}
            onchange={({ currentTarget: { value } }) =>
              through.write && update({ write: { ...through.write, address: value.trim() } })}
          />
        {/if}
      </div>
      <div class="flex flex-wrap gap-x-5 gap-y-1">
        {#each fieldsOf(plan) as { key, label } (key)}
          <label class="flex items-center gap-2">
            <span>{label} shows</span>
            <Select
              class="w-auto!"
              value={through.columns[key] ?? ''}
              onchange={(event) => show(key, event.currentTarget.value)}
            >
              <option value="">nothing</option>
              {#each query.columns as column (column.key)}
                <option value={column.key}>{column.label}</option>
              {/each}
            </Select>
          </label>
          {#if key in through.columns}
            <Button kind="link" aria-label="Remove what {label} shows" onclick={() => show(key, '')}
              >×</Button
            >
          {/if}
        {/each}
      </div>
    {/if}
  </div>
{/if}
