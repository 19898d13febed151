<script lang="ts">
  import { page } from '$app/state';
  import { say } from '$lib/core/words/say';
  import {
    afterSchema,
    takesSchema,
    type After,
    type Plan,
    type Takes,
  } from '$lib/core/plan/schema';
  import { formatValue } from '$lib/core/values/format';
  import { parseText } from '$lib/core/values/parse';
  import { reader } from '$lib/core/words/reader';
  import { Button, Input, Select } from '$lib/ui/parts';
  import type { LiveScope } from './live-scope';
  import { reading } from '$lib/ui/shared/locale';
  import ValueInput from '$lib/ui/shared/ValueInput.svelte';
  import NamedFormulas from './NamedFormulas.svelte';

  interface Props {
    plan: Plan;
    /** The live form, for formulas. */
    live: LiveScope | null;
    onedit: (edit: (plan: Plan) => Plan) => void;
  }
  let { plan, live, onedit }: Props = $props();

  let open = $state<'after' | 'takes' | null>(null);
  const after = $derived(plan.after ?? null);
  const takes = $derived(plan.takes ?? null);
  const forms = $derived((page.data.forms ?? []) as { key: string; title: string }[]);
  const moment = { kind: 'date_time' } as const;

  const nexts: Record<After['next'], string> = {
    receipt: say('what was written'),
    another: say('the next new record'),
    record: say('the record'),
    form: say('another form'),
    address: say('an address'),
  };

  /** Opens what follows a save, or when the form takes records, to be said. */
  export function add(what: 'after' | 'takes') {
    open = what;
    if (what === 'after') put({});
    else limit({});
  }

  function put(changed: Partial<After>) {
    onedit((p) => ({ ...p, after: { ...(p.after ?? afterSchema.parse({})), ...changed } }));
  }
  function limit(changed: Partial<Takes>) {
    onedit((p) => ({ ...p, takes: { ...(p.takes ?? takesSchema.parse({})), ...changed } }));
  }
  function drop(what: 'after' | 'takes') {
    open = null;
    onedit(({ [what]: _, ...p }) => p as Plan);
  }

  const numberOf = (text: string) => {
    const n = Math.floor(Number(text));
    return text.trim() !== '' && n >= 1 ? n : null;
  };
  const at = (value: string | null) => (value === null ? '' : formatValue(moment, value, reader()));
  /** In a few words when the form takes records. */
  const told = $derived(
    takes === null
      ? ''
      : [
          takes.from === null ? '' : say(`from ${at(takes.from)}`),
          takes.until === null ? '' : say(`until ${at(takes.until)}`),
          takes.most === null ? '' : say(`at most ${takes.most}`),
          takes.mostEach === null ? '' : say(`at most ${takes.mostEach} by one person`),
        ]
          .filter((part) => part !== '')
          .join(', ') || say('always'),
  );
</script>

{#snippet when(label: string, value: string | null, take: (moment: string | null) => void)}
  <label class="grid gap-0.5">
    <span class="quiet">{label}</span>
    <span class="w-60">
      <ValueInput
        type={moment}
        {value}
        {label}
        onvalue={(chosen) => take(typeof chosen === 'string' ? chosen : null)}
        ontext={(text) => {
          const parsed = parseText(moment, text, label, reading());
          if ('value' in parsed) take(typeof parsed.value === 'string' ? parsed.value : null);
        }}
      />
    </span>
  </label>
{/snippet}

{#if after}
  <div class="flex flex-wrap items-baseline gap-3">
    <Button
      kind="link"
      aria-expanded={open === 'after'}
      onclick={() => (open = open === 'after' ? null : 'after')}
      >After a save: {nexts[after.next]}</Button
    >
    <span class="quiet">{after.message}</span>
    <Button
      kind="link"
      class="ms-auto"
      aria-label="Nothing of its own after a save"
      onclick={() => drop('after')}>×</Button
    >
  </div>
  {#if open === 'after'}
    <div class="bg-wash border-line grid gap-2.5 border px-4 py-3">
      <label class="grid gap-0.5">
        <span class="quiet">One reads; a field in braces stands for its value</span>
        <Input
          maxlength={1000}
          placeholder="Thank you."
          value={after.message}
          onchange={(event) => put({ message: event.currentTarget.value.trim() })}
        />
      </label>
      <div class="flex flex-wrap items-end gap-3">
        <label class="grid gap-0.5">
          <span class="quiet">and goes on to</span>
          <Select
            class="w-auto!"
            value={after.next}
            onchange={(event) => put({ next: event.currentTarget.value as After['next'] })}
          >
            {#each Object.entries(nexts) as [next, words] (next)}
              <option value={next} disabled={next === 'form' && forms.length === 0}>{words}</option>
            {/each}
          </Select>
        </label>
        {#if after.next === 'form'}
          <label class="grid gap-0.5">
            <span class="quiet">Form</span>
            <Select
              class="w-auto!"
              value={after.form ?? ''}
              onchange={(event) => put({ form: event.currentTarget.value || null })}
            >
              <option value="">–</option>
              {#each forms as { key, title } (key)}<option value={key}>{title}</option>{/each}
            </Select>
          </label>
        {:else if after.next === 'address'}
          <label class="grid gap-0.5">
            <span class="quiet">Address</span>
            <Input
              class="w-80!"
              maxlength={500}
              placeholder="https://library.example.org/thanks"
              value={after.address}
              onchange={(event) => put({ address: event.currentTarget.value.trim() })}
            />
          </label>
        {/if}
      </div>
      {#if after.next === 'form'}
        <NamedFormulas
          id="after"
          formulas={after.carry}
          another="A column to carry into the other form"
          placeholder="+ a column to carry"
          {live}
          onchange={(carry) => put({ carry })}
        />
      {/if}
    </div>
  {/if}
{/if}
{#if takes}
  <div class="flex flex-wrap items-baseline gap-3">
    <Button
      kind="link"
      aria-expanded={open === 'takes'}
      onclick={() => (open = open === 'takes' ? null : 'takes')}>Takes records {told}</Button
    >
    <Button
      kind="link"
      class="ms-auto"
      aria-label="Takes records always"
      onclick={() => drop('takes')}>×</Button
    >
  </div>
  {#if open === 'takes'}
    <div class="bg-wash border-line grid gap-2.5 border px-4 py-3">
      <div class="flex flex-wrap gap-4">
        {@render when(say('From'), takes.from, (from) => limit({ from }))}
        {@render when(say('Until'), takes.until, (until) => limit({ until }))}
        <label class="grid gap-0.5">
          <span class="quiet">New records in all</span>
          <Input
            class="w-32!"
            type="number"
            min="1"
            value={takes.most ?? ''}
            onchange={(event) => limit({ most: numberOf(event.currentTarget.value) })}
          />
        </label>
        <label class="grid gap-0.5">
          <span class="quiet">by one person</span>
          <Input
            class="w-32!"
            type="number"
            min="1"
            value={takes.mostEach ?? ''}
            onchange={(event) => limit({ mostEach: numberOf(event.currentTarget.value) })}
          />
        </label>
      </div>
      <label class="grid gap-0.5">
        <span class="quiet">Where it takes none, one reads</span>
        <Input
          maxlength={500}
          placeholder="This form is closed."
          value={takes.closed}
          onchange={(event) => limit({ closed: event.currentTarget.value.trim() })}
        />
      </label>
    </div>
  {/if}
{/if}
