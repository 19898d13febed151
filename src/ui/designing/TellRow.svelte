<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { Input, Select, Textarea } from '$lib/ui/parts';
  import type { System } from '$lib/core/outside/query';
  import { sendMethods, type SendMethod } from '$lib/core/outside/sending';
  import type { Send } from '$lib/core/plan/schema';
  import { methodFor } from './takers';

  type Told = Pick<Send, 'connection' | 'method' | 'address'>;
  interface Props {
    told: Told;
    systems: readonly System[];
    /** Which one of several: `of step 2`. */
    which?: string;
    onchange: (change: Partial<Told>) => void;
  }
  let { told, systems, which = '', onchange }: Props = $props();

  const sql = $derived(systems.find(({ key }) => key === told.connection)?.accepts === 'sql');

  function choose(connection: string) {
    const method = methodFor(systems.find(({ key }) => key === connection));
    const fits = (method === 'SQL') === (told.method === 'SQL');
    onchange({ connection, ...(fits ? {} : { method }) });
  }
</script>

<Select
  class="w-auto!"
  aria-label="System {which}"
  value={told.connection}
  onchange={({ currentTarget: { value } }) => choose(value)}
>
  {#each systems as { key, title } (key)}<option value={key}>{title}</option>{/each}
</Select>
{#if sql}
  <Textarea
    class="h-16! grow font-mono text-[13px]!"
    aria-label="Statement {which}"
    spellcheck="false"
    placeholder={'insert into booking (request_key, asset_number) values ({once}, {asset})'}
    value={told.address}
    onchange={({ currentTarget: { value } }) => onchange({ address: value.trim() })}
  ></Textarea>
  <p class="quiet m-0 basis-full">
    Names in braces are replaced by their formulas. {'{once}'} is a key that stays the same for every
    attempt: keep it in a unique column, and nothing is written twice.
  </p>
{:else}
  <Select
    class="w-auto!"
    aria-label="Method {which}"
    value={told.method}
    onchange={({ currentTarget: { value } }) => onchange({ method: value as SendMethod })}
  >
    {#each sendMethods.filter((one) => one !== 'SQL') as method (method)}
      <option value={method}>{method}</option>
    {/each}
  </Select>
  <Input
    class="w-72! font-mono text-[13px]!"
    aria-label="Address {which || say('below the base')}"
    placeholder={'members/{code}'}
    value={told.address}
    onchange={({ currentTarget: { value } }) => onchange({ address: value.trim() })}
  />
{/if}
