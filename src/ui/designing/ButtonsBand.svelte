<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { startsHere } from '$lib/ui/shared/focus';
  import { Button, Input, Select } from '$lib/ui/parts';
  import { page } from '$app/state';
  import {
    buttonStepSchema,
    type Button as PlanButton,
    type ButtonStep,
    type Plan,
  } from '$lib/core/plan/schema';
  import { fieldsOf } from '$lib/core/plan/scopes';
  import { stepWords } from '$lib/core/plan/words';
  import { keyFrom, type House } from '$lib/core/table/definition';
  import { toldNames } from '$lib/core/outside/sending';
  import type { LiveScope } from './live-scope';
  import FormulaRow from './FormulaRow.svelte';
  import NamedFormulas from './NamedFormulas.svelte';
  import { methodFor, takersOf } from './takers';
  import TellRow from './TellRow.svelte';

  interface Props {
    plan: Plan;
    tables: House;
    /** The live form, for formulas. */
    live: LiveScope | null;
    onedit: (edit: (plan: Plan) => Plan) => void;
  }
  let { plan, tables, live, onedit }: Props = $props();

  let open = $state<number | null>(null);
  const buttons = $derived(plan.buttons ?? []);
  const systems = $derived(takersOf(tables));
  const forms = $derived((page.data.forms ?? []) as { key: string; title: string }[]);
  const kinds: Record<ButtonStep['do'], string> = {
    set: say('set a field'),
    ask: say('read again'),
    save: say('save the record'),
    tell: say('send to an outside system'),
    open: say('open another form'),
  };

  function change(edit: (list: PlanButton[]) => PlanButton[]) {
    onedit((p) => ({ ...p, buttons: edit([...(p.buttons ?? [])]) }));
  }
  const update = (i: number, changed: Partial<PlanButton>) =>
    change((list) => list.map((button, k) => (k === i ? { ...button, ...changed } : button)));
  const updateStep = (i: number, n: number, step: ButtonStep) =>
    update(i, { steps: (buttons[i]?.steps ?? []).map((s, k) => (k === n ? step : s)) });

  /** Makes a button; its band opens at what it says. */
  export function add() {
    const label = say('New button');
    const key = keyFrom(
      label,
      buttons.map((button) => button.key),
    );
    open = buttons.length;
    change((list) => [...list, { key, label, when: null, steps: [] }]);
  }

  function addStep(i: number, kind: string) {
    const given: Record<string, object> = {
      set: { do: 'set', field: fieldsOf(plan)[0]?.key, to: 'null' },
      ask: { do: 'ask' },
      save: { do: 'save' },
      tell: { do: 'tell', connection: systems[0]?.key, method: methodFor(systems[0]), values: {} },
      open: { do: 'open', form: forms[0]?.key },
    };
    const parsed = buttonStepSchema.safeParse(given[kind]);
    if (parsed.success) update(i, { steps: [...(buttons[i]?.steps ?? []), parsed.data] });
  }
</script>

<div class="contents" role="group" aria-label="Buttons">
  {#each buttons as button, i (button.key)}
    <div class="flex items-baseline gap-3">
      <Button
        kind="bare"
        class="grow text-left"
        aria-expanded={open === i}
        onclick={() => (open = open === i ? null : i)}
      >
        <span class="quiet me-1" aria-hidden="true">{open === i ? '▾' : '▸'}</span> The button
        <b>{button.label}</b>
        <span class="quiet">
          {button.steps.map((step) => stepWords(step, plan, tables)).join(`, ${say('then')} `) ||
            say('does nothing yet')}{button.when === null
            ? ''
            : `, ${say('only under a condition')}`}
        </span>
      </Button>
      <Button kind="link" onclick={() => change((list) => list.filter((_, k) => k !== i))}
        >Remove</Button
      >
    </div>
    {#if open === i}
      <div class="grid gap-2 py-2">
        <label class="flex items-center gap-3">
          <span class="w-[110px] font-semibold">It says</span>
          <div class="contents" {@attach startsHere}>
            <Input
              class="w-72!"
              maxlength={60}
              value={button.label}
              onchange={({ currentTarget: { value } }) =>
                value.trim() !== '' && update(i, { label: value.trim() })}
            />
          </div>
        </label>
        <FormulaRow
          id="button-{i}-when"
          label="Only when"
          says="condition"
          value={button.when ?? ''}
          placeholder="damage"
          {live}
          onchange={(when) => update(i, { when })}
        />
        {#each button.steps as step, n (n)}
          <div class="border-line-soft grid gap-2 border-l ps-3">
            <div class="flex flex-wrap items-center gap-3">
              <span class="text-soft">{n + 1}</span>
              <span>{kinds[step.do]}</span>
              {#if step.do === 'set'}
                <Select
                  class="w-auto!"
                  aria-label="Field of step {n + 1}"
                  value={step.field}
                  onchange={({ currentTarget: { value } }) =>
                    updateStep(i, n, { ...step, field: value })}
                >
                  {#each fieldsOf(plan) as { key, label } (key)}
                    <option value={key}>{label}</option>
                  {/each}
                </Select>
              {:else if step.do === 'tell'}
                <TellRow
                  told={step}
                  {systems}
                  which="of step {n + 1}"
                  onchange={(change) => updateStep(i, n, { ...step, ...change })}
                />
              {:else if step.do === 'open'}
                <Select
                  class="w-auto!"
                  aria-label="Form of step {n + 1}"
                  value={step.form}
                  onchange={({ currentTarget: { value } }) =>
                    updateStep(i, n, { ...step, form: value })}
                >
                  {#each forms as { key, title } (key)}<option value={key}>{title}</option>{/each}
                </Select>
              {/if}
              <Button
                kind="link"
                class="ms-auto"
                aria-label="Remove step {n + 1}"
                onclick={() => update(i, { steps: button.steps.filter((_, k) => k !== n) })}
                >×</Button
              >
            </div>
            {#if step.do === 'set'}
              <FormulaRow
                id="button-{i}-{n}-to"
                label="to"
                value={step.to}
                {live}
                onchange={(to) => updateStep(i, n, { ...step, to: to ?? 'null' })}
              />
            {/if}
            {#if step.do === 'tell'}
              <NamedFormulas
                id="button-{i}-{n}"
                formulas={step.values}
                wanted={toldNames(step)}
                another="A name in what is told in step {n + 1}"
                placeholder="+ a name in it"
                {live}
                onchange={(values) => updateStep(i, n, { ...step, values })}
              />
            {:else if step.do === 'open'}
              <NamedFormulas
                id="button-{i}-{n}"
                formulas={step.carry}
                another="A column to carry in step {n + 1}"
                placeholder="+ a column to carry"
                {live}
                onchange={(carry) => updateStep(i, n, { ...step, carry })}
              />
            {/if}
          </div>
        {/each}
        <Select
          class="w-auto! justify-self-start"
          aria-label="Another step of {button.label}"
          value=""
          onchange={(event) => {
            addStep(i, event.currentTarget.value);
            event.currentTarget.value = '';
          }}
        >
          <option value="">+ a step</option>
          {#each Object.entries(kinds) as [kind, words] (kind)}
            <option
              value={kind}
              disabled={(kind === 'tell' && systems.length === 0) ||
                (kind === 'open' && forms.length === 0)}>{words}</option
            >
          {/each}
        </Select>
      </div>
    {/if}
  {/each}
</div>
