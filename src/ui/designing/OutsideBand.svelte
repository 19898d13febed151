<script lang="ts">
  import { num, say } from '$lib/core/words/say';
  import { Checkbox, Select } from '$lib/ui/parts';
  import { givenParameters } from '$lib/core/outside/query';
  import { type Field } from '$lib/core/plan/schema';
  import type { Given, OutsideChoices, OutsideValue } from '$lib/core/plan/choices';
  import type { Sight } from '$lib/core/plan/sight';
  import type { House } from '$lib/core/table/definition';
  import { comparable } from '$lib/core/values/types';

  interface Props {
    /** The scope of the field, and what can be named there. */
    sight: Sight;
    field: Field;
    tables: House;
    onchange: (change: Partial<Omit<Field, 'key'>>) => void;
  }
  let { sight, field, tables, onchange }: Props = $props();

  const choices = $derived(field.choices?.kind === 'outside' ? field.choices : null);
  const asked = $derived(choices ?? field.outside);
  const query = $derived(asked ? tables.queries.get(asked.query) : undefined);
  const others = $derived(sight.named.filter(({ name }) => name !== field.key));

  function update(change: Partial<OutsideChoices> & Partial<OutsideValue>) {
    if (choices) onchange({ choices: { ...choices, ...change } });
    else if (field.outside) onchange({ outside: { ...field.outside, ...change } });
  }

  function give(parameter: string, name: string) {
    const left = (asked?.given ?? []).filter((given) => given.parameter !== parameter);
    const required = query?.parameters.find(({ key }) => key === parameter)?.required ?? true;
    const fresh: Given[] = name === '' ? [] : [{ parameter, field: name, optional: !required }];
    update({ given: [...left, ...fresh] });
  }

  function toggle(column: string) {
    if (!choices) return;
    const shown = choices.shown.includes(column)
      ? choices.shown.filter((key) => key !== column)
      : [...choices.shown, column];
    update({ shown });
  }
</script>

{#if query && asked}
  <div class="grid gap-2.5">
    <div class="flex flex-wrap items-center gap-2">
      <a class="ref" href="/outside/queries/{query.key}">{query.title}</a>
      <label for="outside-column">{choices ? say('stores') : say('gives')}</label>
      <Select
        id="outside-column"
        class="w-auto!"
        value={choices?.stores ?? field.outside?.column}
        onchange={({ currentTarget: { value } }) =>
          update(choices ? { stores: value } : { column: value })}
      >
        {#each query.columns as { key, label } (key)}<option value={key}>{label}</option>{/each}
      </Select>
    </div>
    {#if choices}
      <fieldset class="flex flex-wrap items-center gap-3">
        <legend class="float-left me-2">shows</legend>
        {#each query.columns as { key, label } (key)}
          <label class="flex items-center gap-1">
            <Checkbox checked={choices.shown.includes(key)} onchange={() => toggle(key)} />
            {label}
          </label>
        {/each}
      </fieldset>
    {/if}
    {#each givenParameters(query) as parameter (parameter.key)}
      <label class="flex items-center gap-2">
        <span>{parameter.label}{parameter.required ? '' : say(', if there is one')}, from</span>
        <Select
          class="w-auto!"
          aria-label="{parameter.label} from"
          value={asked.given.find((given) => given.parameter === parameter.key)?.field ?? ''}
          onchange={(event) => give(parameter.key, event.currentTarget.value)}
        >
          <option value="">nothing</option>
          {#each others.filter( ({ type }) => comparable(parameter.type, type) ) as { name, label } (name)}
            <option value={name}>{label}</option>
          {/each}
        </Select>
      </label>
    {/each}
    <p class="quiet m-0">
      It waits {num(query.limit / 1000)} s at most; an answer lasts
      {query.keeps === 0 ? say('not at all') : say(`${query.keeps} s`)}.
    </p>
  </div>
{/if}
