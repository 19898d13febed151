<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { Button, Checkbox, Select } from '$lib/ui/parts';
  import { plainField } from '$lib/core/plan/draft';
  import { addField, updateField } from '$lib/core/plan/edit';
  import { heldTypeIn } from '$lib/core/plan/held';
  import { type Bring, type Field, type Plan } from '$lib/core/plan/schema';
  import { addressOf } from '$lib/core/plan/scopes';
  import type { Sight } from '$lib/core/plan/sight';
  import type { House } from '$lib/core/table/definition';
  import { reachablePaths } from '$lib/core/table/paths';

  interface Props {
    /** The scope of the field, and what can be named there. */
    sight: Sight;
    field: Field;
    tables: House;
    onedit: (edit: (plan: Plan) => Plan) => void;
  }
  let { sight, field, tables, onedit }: Props = $props();

  const address = $derived(addressOf(sight.key, field.key));
  const type = $derived(heldTypeIn(sight, field, tables));
  const table = $derived(type.kind === 'reference' ? tables.get(type.table) : undefined);
  const query = $derived(
    field.choices?.kind === 'outside' ? tables.queries.get(field.choices.query) : undefined,
  );
  const paths = $derived(
    table
      ? reachablePaths(tables, table, 3)
      : (query?.columns ?? []).map((column) => ({ path: column.key, label: column.label, column })),
  );
  const others = $derived(sight.fields.filter((f) => f.key !== field.key));
  /** Fields that say which column of this record is to be read. */
  const sayers = $derived(
    others.filter((f) => f.choices?.kind === 'columns' && f.choices.of === field.key),
  );

  function change(brings: Bring[]) {
    onedit((p) => updateField(p, address, { brings }));
  }

  function update(i: number, changed: Partial<Bring>) {
    change(field.brings.map((b, k) => (k === i ? { ...b, ...changed } : b)));
  }

  function add(word: string) {
    const by = sayers.find((f) => `by:${f.key}` === word)?.key ?? null;
    const path = by === null ? word : null;
    const bring: Bring = { path, by, into: null, keeps: 'live', editable: false };
    change([...field.brings, bring]);
  }

  /** Brings into a field; a new one behind this line, where none is there yet. */
  function into(i: number, word: string) {
    const bring = field.brings[i];
    if (word !== '+' || !bring) return update(i, { into: word === '' ? null : word });
    const label = paths.find((p) => p.path === bring.path)?.column.label ?? say('Value');
    const made = plainField(
      label,
      sight.fields.map((f) => f.key),
    );
    onedit((p) => {
      const brings = field.brings.map((b, k) => (k === i ? { ...b, into: made.key } : b));
      const place = { scope: sight.key, behind: field.key };
      return updateField(addField(p, made, place), address, { brings });
    });
  }
</script>

<div class="grid gap-2.5">
  <div>
    <b>What does the chosen record bring along?</b>
    <span class="text-soft">
      {#if paths.length === 0}Only a lookup can bring values along. Let this field choose a record
        first.
      {:else if field.brings.length === 0}Nothing yet.{/if}
    </span>
  </div>
  {#if paths.length > 0}
    {#each field.brings as bring, i (i)}
      <div class="flex flex-wrap items-center gap-2">
        <span class="min-w-32 font-semibold">
          {bring.path === null
            ? say(`what ${others.find((f) => f.key === bring.by)?.label ?? '?'} says`)
            : (paths.find((p) => p.path === bring.path)?.label ?? bring.path)}
        </span>
        <Select
          class="w-auto!"
          aria-label="Where {bring.path ?? say('the value')} goes"
          value={bring.into ?? ''}
          onchange={(event) => into(i, event.currentTarget.value)}
        >
          <option value="">shown beside it</option>
          {#each others as { key, label } (key)}<option value={key}>into {label}</option>{/each}
          <option value="+">into a new field</option>
        </Select>
        {#if bring.into !== null}
          <Select
            class="w-auto!"
            aria-label="How {bring.path ?? say('the value')} is kept"
            value={bring.keeps}
            onchange={(event) => update(i, { keeps: event.currentTarget.value as Bring['keeps'] })}
          >
            <option value="live">live: follows the record</option>
            <option value="kept">kept: as it was when chosen</option>
          </Select>
          <label class="flex items-center gap-1.5">
            <Checkbox
              checked={bring.editable}
              onchange={(event) => update(i, { editable: event.currentTarget.checked })}
            /> may be changed
          </label>
        {/if}
        <Button kind="link" onclick={() => change(field.brings.filter((_, k) => k !== i))}
          >Remove</Button
        >
      </div>
    {/each}
    <div>
      <Select
        class="w-auto!"
        aria-label="Bring another column"
        value=""
        onchange={(event) => {
          add(event.currentTarget.value);
          event.currentTarget.value = '';
        }}
      >
        <option value="">+ bring a column</option>
        {#each paths as { path, label } (path)}<option value={path}>{label}</option>{/each}
        {#each sayers as { key, label } (key)}
          <option value="by:{key}">the column that {label} says</option>
        {/each}
      </Select>
    </div>
  {/if}
</div>
