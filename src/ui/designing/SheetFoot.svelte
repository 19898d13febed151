<script lang="ts">
  import { Select } from '$lib/ui/parts';
  import type { Plan } from '$lib/core/plan/schema';
  import type { House } from '$lib/core/table/definition';
  import type { LiveScope } from './live-scope';
  import AfterBand from './AfterBand.svelte';
  import ButtonsBand from './ButtonsBand.svelte';
  import SendsBand from './SendsBand.svelte';
  import MailsBand from './MailsBand.svelte';
  import { takersOf } from './takers';
  import ThroughBand from './ThroughBand.svelte';
  import WritesBand from './WritesBand.svelte';

  interface Props {
    plan: Plan;
    tables: House;
    /** The live form and its grids, for formulas. */
    live: ReadonlyMap<string, LiveScope | null>;
    onedit: (edit: (plan: Plan) => Plan) => void;
  }
  let { plan, tables, live, onedit }: Props = $props();

  let writes = $state<ReturnType<typeof WritesBand>>();
  let sends = $state<ReturnType<typeof SendsBand>>();
  let buttons = $state<ReturnType<typeof ButtonsBand>>();
  let mails = $state<ReturnType<typeof MailsBand>>();
  let after = $state<ReturnType<typeof AfterBand>>();
  let through = $state<ReturnType<typeof ThroughBand>>();

  const systems = $derived(takersOf(tables));
  const queries = $derived(
    plan.through ? [] : [...tables.queries.values()].filter((q) => q.parameters.length > 0),
  );
  const any = $derived(
    plan.writes.length +
      (plan.sends ?? []).length +
      (plan.buttons ?? []).length +
      (plan.mails ?? []).length >
      0 || Boolean(plan.through ?? plan.after ?? plan.takes),
  );

  function add(word: string) {
    const [what, key = ''] = word.split(' ');
    if (what === 'write') writes?.add(key);
    else if (what === 'send') sends?.add(key);
    else if (what === 'button') buttons?.add();
    else if (what === 'mail') mails?.add();
    else if (what === 'after' || what === 'takes') after?.add(what);
    else if (what === 'pass') through?.pass(key);
  }
</script>

<section
  class="border-line grid gap-2 border-t px-7 py-3 text-[13.5px]"
  aria-label="What else happens"
>
  <div class="flex flex-wrap items-baseline gap-3">
    <h2 class="font-serif text-[15px] font-semibold">What else happens</h2>
    {#if !any}
      <span class="quiet">A save writes the record and its lines, nothing else.</span>
    {/if}
    <Select
      class="ms-auto w-auto!"
      aria-label="Add something that happens"
      value=""
      onchange={(event) => {
        add(event.currentTarget.value);
        event.currentTarget.value = '';
      }}
    >
      <option value="">+ add</option>
      <option value="button">a button</option>
      <option value="mail">an e-mail</option>
      {#if !plan.after}<option value="after">what follows a save</option>{/if}
      {#if !plan.takes}<option value="takes">when it takes records</option>{/if}
      <optgroup label="Also write a record to">
        {#each [...tables.values()] as { key, title } (key)}
          <option value="write {key}">{title}</option>
        {/each}
      </optgroup>
      {#if systems.length > 0}
        <optgroup label="Send to">
          {#each systems as { key, title } (key)}<option value="send {key}">{title}</option>{/each}
        </optgroup>
      {/if}
      {#if queries.length > 0}
        <optgroup label="Instead of storing here, show a record of">
          {#each queries as { key, title } (key)}<option value="pass {key}">{title}</option>{/each}
        </optgroup>
      {/if}
    </Select>
  </div>
  <ThroughBand bind:this={through} {plan} {tables} {onedit} />
  <AfterBand bind:this={after} {plan} live={live.get('') ?? null} {onedit} />
  <WritesBand bind:this={writes} {plan} {tables} {live} {onedit} />
  <ButtonsBand bind:this={buttons} {plan} {tables} live={live.get('') ?? null} {onedit} />
  <MailsBand bind:this={mails} {plan} live={live.get('') ?? null} {onedit} />
  <SendsBand bind:this={sends} {plan} {tables} live={live.get('') ?? null} {onedit} />
</section>
