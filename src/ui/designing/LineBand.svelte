<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { Button, Input, Select } from '$lib/ui/parts';
  import { nothingWanted } from '$lib/core/contract/answers';
  import { heldTypeIn } from '$lib/core/plan/held';
  import { type Field, type Plan } from '$lib/core/plan/schema';
  import { addressOf } from '$lib/core/plan/scopes';
  import { tableChoices } from '$lib/core/plan/choices';
  import { updateField } from '$lib/core/plan/edit';
  import { call } from '$lib/ui/shared/api';
  import { invalidate } from '$app/navigation';
  import type { Sight } from '$lib/core/plan/sight';
  import { keyFrom, type House } from '$lib/core/table/definition';
  import { typePhrase, type ValueType } from '$lib/core/values/types';
  import TypeEditor from '$lib/ui/tables/TypeEditor.svelte';
  import type { LiveScope } from './live-scope';
  import BringsBand from './BringsBand.svelte';
  import NarrowedBand from './NarrowedBand.svelte';
  import type { Question } from './questions';
  import RulesBand from './RulesBand.svelte';
  import SourceBand from './SourceBand.svelte';

  interface Props {
    plan: Plan;
    /** The scope of the field, and what can be named there. */
    sight: Sight;
    field: Field;
    question: Question;
    tables: House;
    offered: string;
    /** The live form, for formulas. */
    live: LiveScope | null;
    onedit: (edit: (plan: Plan) => Plan) => void;
    onmove: (by: -1 | 1) => void;
    oncopy: () => void;
    onremove: () => void;
    /** Gives the field another key everywhere; tells whether it could. */
    onrename: (key: string) => boolean;
  }
  let {
    plan,
    sight,
    field,
    question,
    tables,
    offered,
    live,
    onedit,
    onmove,
    oncopy,
    onremove,
    onrename,
  }: Props = $props();

  let badKey = $state(false);

  const type = $derived(heldTypeIn(sight, field, tables));
  const choices = $derived(tableChoices(field));
  const target = $derived(tables.get(sight.table));

  let making = $state(false);
  let refused = $state('');

  /** Makes a column of the target table that takes what the field holds, and saves to it. */
  async function makeColumn() {
    if (!target) return;
    making = true;
    const key = keyFrom(
      field.label,
      target.columns.map((c) => c.key),
    );
    const body = { key, label: field.label, type };
    const called = await call(nothingWanted, `/api/tables/${target.key}/columns`, { body });
    making = false;
    refused = called.ok ? '' : (called.problems[0]?.message ?? '');
    if (!called.ok) return;
    await invalidate('unisor:tables');
    change({ savesTo: key, holds: null });
  }

  /** Gives the field another key, carried through everything that names it. */
  function rename(input: HTMLInputElement) {
    const to = input.value.trim();
    badKey = to !== field.key && !onrename(to);
  }

  function change(changed: Partial<Omit<Field, 'key'>>) {
    onedit((p) => updateField(p, addressOf(sight.key, field.key), changed));
  }
</script>

{#if question === 'field'}
  <div class="grid gap-2.5">
    <div class="flex flex-wrap items-end gap-3">
      <label class="grid gap-1">
        <b>What is it called?</b>
        <Input
          class="w-56!"
          value={field.label}
          onchange={({ currentTarget: { value } }) =>
            value.trim() && change({ label: value.trim() })}
        />
      </label>
      <label class="grid grow gap-1">
        <span>Help under the field</span>
        <Input
          value={field.help}
          onchange={(event) => change({ help: event.currentTarget.value })}
        />
      </label>
    </div>
    <div class="flex flex-wrap items-center gap-4">
      <label class="flex items-center gap-2">
        <span class="quiet">name in formulas</span>
        <Input
          class="w-40! font-mono text-[13px]"
          value={field.key}
          aria-invalid={badKey}
          onchange={({ currentTarget }) => rename(currentTarget)}
        />
      </label>
      {#if badKey}
        <span class="text-crimson"
          >Use lower-case letters, digits and _; every name must be different.</span
        >
      {/if}
      <span class="quiet">holds {typePhrase(type, tables)}</span>
      <Button kind="link" class="ms-auto" onclick={() => onmove(-1)}>
        Up <kbd>Alt ↑</kbd>
      </Button>
      <Button kind="link" onclick={() => onmove(1)}>Down <kbd>Alt ↓</kbd></Button>
      <Button kind="link" onclick={oncopy}>Copy <kbd>Ctrl D</kbd></Button>
      <Button kind="link" onclick={onremove}>Remove</Button>
    </div>
  </div>
{:else if question === 'source'}
  <SourceBand {sight} {field} {tables} {live} onchange={change} />
{:else if question === 'narrowed'}
  <NarrowedBand
    {plan}
    {sight}
    {field}
    {tables}
    {offered}
    {onedit}
    onchange={(narrowings) => {
      if (choices) change({ choices: { ...choices, narrowings } });
      else if (field.rollup) change({ rollup: { ...field.rollup, narrowings } });
    }}
  />
{:else if question === 'brings'}
  <BringsBand {sight} {field} {tables} {onedit} />
{:else if question === 'rules'}
  <RulesBand
    {sight}
    {field}
    {tables}
    {live}
    onchange={change}
    onstart={sight.key === ''
      ? (here) => onedit((p) => ({ ...p, startsAt: here ? field.key : null }))
      : undefined}
  />
{:else}
  <div class="flex flex-wrap items-center gap-3">
    <label class="flex items-center gap-2">
      <b>Where does it go?</b>
      <Select
        class="w-auto!"
        value={field.savesTo ?? ''}
        onchange={(event) => change({ savesTo: event.currentTarget.value || null })}
      >
        <option value="">not saved</option>
        {#each target?.columns ?? [] as { key, label, type } (key)}
          <option value={key}>{label}, {typePhrase(type, tables)}</option>
        {/each}
      </Select>
    </label>
    {#if field.savesTo === null && !field.choices}
      <div class="flex items-center gap-2">
        holds
        <TypeEditor
          type={field.holds ?? type}
          links={false}
          tables={[...tables.values()]}
          label={field.label}
          onchange={(holds: ValueType) => change({ holds })}
        />
      </div>
    {/if}
    <span class="quiet">
      {field.savesTo === null
        ? say('A helper field: it narrows a list or feeds a formula, and is not saved.')
        : say(`Written to ${target?.title.toLowerCase()}.`)}
    </span>
    {#if field.savesTo === null && target && field.choices?.kind !== 'columns'}
      <Button kind="link" loading={making} onclick={makeColumn}>
        Make a column of {target.title} for it
      </Button>
      <span class="text-crimson">{refused}</span>
    {/if}
  </div>
{/if}
