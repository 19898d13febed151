<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { Button, Checkbox, Input, Select } from '$lib/ui/parts';
  import { heldTypeIn } from '$lib/core/plan/held';
  import { type Check, type Field } from '$lib/core/plan/schema';
  import { tableChoices } from '$lib/core/plan/choices';
  import type { EntryFormula } from '$lib/core/plan/formulas';
  import { misfit, wantedOf, type FormulaUse } from '$lib/core/plan/formula-sites';
  import type { Sight } from '$lib/core/plan/sight';
  import type { House } from '$lib/core/table/definition';
  import type { LiveScope } from './live-scope';
  import ColumnInput from '$lib/ui/tables/ColumnInput.svelte';
  import FormulaRow from './FormulaRow.svelte';

  interface Props {
    /** The scope of the field, and what can be named there. */
    sight: Sight;
    field: Field;
    tables: House;
    live: LiveScope | null;
    onchange: (change: Partial<Omit<Field, 'key'>>) => void;
    /** Has the cursor start in this field, or in the first one; not for lines of a grid. */
    onstart: ((starts: boolean) => void) | undefined;
  }
  let { sight, field, tables, live, onchange, onstart }: Props = $props();

  type Asked = 'shownWhen' | 'requiredWhen' | 'lockedWhen' | 'initially';
  const rules: { at: Asked; label: string; example: string }[] = [
    { at: 'shownWhen', label: say('Shown when'), example: 'weeks > 8' },
    { at: 'requiredWhen', label: say('Required when'), example: 'weeks > 12' },
    { at: 'lockedWhen', label: say('Locked when'), example: 'fee = null' },
    { at: 'initially', label: say('Begins with'), example: 'today()' },
  ];
  /** Rules that are wanted and not written yet. */
  let wanted = $state<Asked[]>([]);
  let newCheck = $state(false);

  const type = $derived(heldTypeIn(sight, field, tables));
  const choices = $derived(tableChoices(field));
  const workedOut = $derived(field.computes !== null || field.rollup !== null);
  const open = $derived(rules.filter(({ at }) => field[at] !== null || wanted.includes(at)));
  const closed = $derived(
    rules.filter(({ at }) => !open.some((o) => o.at === at) && !(workedOut && at === 'initially')),
  );
  const misfitAt = (use: FormulaUse) => (formula: EntryFormula) =>
    misfit(formula, wantedOf(use, field, type));

  function setRule(at: Asked, formula: string | null) {
    wanted = wanted.filter((other) => other !== at);
    onchange(
      at === 'initially' && formula ? { initially: formula, initial: null } : { [at]: formula },
    );
  }

  /** How the field stands in the form: with which control, or as what else. */
  function stand(as: string) {
    const control = (['box', 'tick', 'switch', 'radio'] as const).find((each) => each === as);
    if (control) onchange({ shows: 'input', control });
    else onchange({ shows: as as Field['shows'] });
  }

  function updateCheck(i: number, change: Partial<Check>) {
    onchange({ checks: field.checks.map((c, k) => (k === i ? { ...c, ...change } : c)) });
  }

  function addCheck(holds: string | null) {
    newCheck = false;
    if (holds === null) return;
    const message = say(`${field.label}: this check fails.`);
    onchange({ checks: [...field.checks, { holds, message }] });
  }

  /** What a rule that holds means, and one that does not. */
  const outcomes: Partial<Record<Asked | 'check', { yes: string; no: string; wrong?: boolean }>> = {
    shownWhen: { yes: say('shown'), no: say('hidden') },
    requiredWhen: { yes: say('required'), no: say('optional') },
    lockedWhen: { yes: say('locked'), no: say('open') },
    check: { yes: say('holds'), no: say('does not hold'), wrong: true },
  };
</script>

<div class="grid gap-2.5">
  <div class="flex flex-wrap items-center gap-x-5 gap-y-2">
    <label class="flex items-center gap-1.5">
      <Checkbox
        checked={field.required}
        onchange={(event) => onchange({ required: event.currentTarget.checked })}
      /> required
    </label>
    {#if choices}
      <label class="flex items-center gap-1.5">
        <Checkbox
          checked={choices.takeOnly}
          onchange={(event) =>
            onchange({ choices: { ...choices, takeOnly: event.currentTarget.checked } })}
        /> choose it when only one is left
      </label>
      <label class="flex items-center gap-1.5">
        <Checkbox
          checked={choices.adds}
          onchange={(event) =>
            onchange({ choices: { ...choices, adds: event.currentTarget.checked } })}
        /> people can add a missing one
      </label>
    {/if}
    <label class="flex items-center gap-1.5">
      <Checkbox
        checked={sight.startsAt === field.key}
        disabled={!onstart}
        onchange={(event) => onstart?.(event.currentTarget.checked)}
      /> the cursor starts here
    </label>
    {#if !workedOut}
      <label class="flex items-center gap-1.5">
        <Checkbox
          checked={field.carries}
          onchange={(event) => onchange({ carries: event.currentTarget.checked })}
        /> kept for the next record
      </label>
    {/if}
    <label class="flex items-center gap-1.5">
      <span>stands in the form as</span>
      <Select
        class="w-auto!"
        value={field.shows === 'input' ? field.control : field.shows}
        onchange={(event) => stand(event.currentTarget.value)}
      >
        <option value="box">a box</option>
        {#if type.kind === 'yes_no'}
          <option value="tick">a tick box</option>
          <option value="switch">a switch</option>
        {/if}
        {#if type.kind === 'yes_no' || type.kind === 'option' || field.choices?.kind === 'values'}
          <option value="radio">radio buttons</option>
        {/if}
        <option value="line">a line</option>
        {#if choices}<option value="list">as the list of its rows</option>{/if}
        <option value="nothing">not at all</option>
      </Select>
    </label>
    {#if !choices && !workedOut && field.initially === null}
      <div class="flex items-center gap-2">
        <label for="initial-{field.key}">begins with</label>
        <div class="w-40">
          <ColumnInput
            id="initial-{field.key}"
            column={{
              key: field.key,
              label: say('Begins with'),
              type,
              required: false,
              unique: false,
            }}
            {tables}
            value={field.initial}
            shown=""
            onvalue={(value) => onchange({ initial: value })}
          />
        </div>
      </div>
    {/if}
  </div>
  {#each open as { at, label, example } (at)}
    <FormulaRow
      id="{at}-{field.key}"
      {label}
      value={field[at] ?? ''}
      placeholder={example}
      {live}
      type={at === 'initially' ? type : undefined}
      misfit={misfitAt({ at })}
      starts={wanted.includes(at)}
      says={at === 'initially' ? 'value' : 'condition'}
      outcome={outcomes[at]}
      onremove={() => setRule(at, null)}
      onchange={(formula) => setRule(at, formula)}
    />
    {#if at === 'shownWhen'}
      <label class="ms-[122px] flex items-center gap-2">
        <span>while hidden, its value is</span>
        <Select
          class="w-auto!"
          value={field.whileHidden}
          onchange={(event) =>
            onchange({ whileHidden: event.currentTarget.value as Field['whileHidden'] })}
        >
          <option value="clear">cleared</option>
          <option value="keep">kept</option>
        </Select>
      </label>
    {/if}
  {/each}
  {#each field.checks as check, i (i)}
    <FormulaRow
      id="check-{field.key}-{i}"
      label="Must hold"
      value={check.holds}
      {live}
      says="condition"
      outcome={outcomes.check}
      misfit={misfitAt({ at: 'check', index: i, part: 'holds' })}
      onchange={(holds) =>
        holds === null
          ? onchange({ checks: field.checks.filter((_, k) => k !== i) })
          : updateCheck(i, { holds })}
    />
    <div class="grid grid-cols-[110px_minmax(0,1fr)_auto] items-center gap-x-3">
      <label class="font-semibold" for="message-{field.key}-{i}">otherwise say</label>
      <Input
        id="message-{field.key}-{i}"
        value={check.message}
        onchange={({ currentTarget: { value } }) =>
          value.trim() && updateCheck(i, { message: value.trim() })}
      />
      <Button
        kind="link"
        onclick={() => onchange({ checks: field.checks.filter((_, k) => k !== i) })}>Remove</Button
      >
    </div>
  {/each}
  {#if newCheck}
    <FormulaRow
      id="check-{field.key}-new"
      label="Must hold"
      value=""
      placeholder="copies <= on_hand"
      {live}
      starts
      says="condition"
      outcome={outcomes.check}
      misfit={misfitAt({ at: 'check', index: field.checks.length, part: 'holds' })}
      onchange={addCheck}
    />
  {/if}
  <div class="flex flex-wrap gap-4">
    {#each closed as { at, label } (at)}
      <Button kind="link" onclick={() => (wanted = [...wanted, at])}>
        + {label.toLowerCase()}
      </Button>
    {/each}
    <Button kind="link" onclick={() => (newCheck = true)}>+ a check</Button>
  </div>
</div>
