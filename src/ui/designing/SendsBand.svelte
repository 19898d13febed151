<script lang="ts">
  import { listed, say } from '$lib/core/words/say';
  import { Button, Select } from '$lib/ui/parts';
  import { sendSchema, type Plan, type Send } from '$lib/core/plan/schema';
  import { systemTitle } from '$lib/core/plan/words';
  import type { House } from '$lib/core/table/definition';
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
  const systems = $derived(takersOf(tables));
  const sends = $derived(plan.sends ?? []);

  function update(i: number, change: Partial<Send>) {
    onedit((p) => ({
      ...p,
      sends: (p.sends ?? []).map((send, k) => (k === i ? { ...send, ...change } : send)),
    }));
  }

  /** Sends to a system; its band opens. */
  export function add(connection: string) {
    const method = methodFor(systems.find(({ key }) => key === connection));
    const made = sendSchema.parse({ connection, method, values: {} });
    open = sends.length;
    onedit((p) => ({ ...p, sends: [...(p.sends ?? []), made] }));
  }
</script>

{#if sends.length > 0}
  <div class="contents" role="group" aria-label="Sent outside">
    {#each sends as send, i (i)}
      <div class="flex items-baseline gap-3">
        <Button
          kind="bare"
          class="grow text-left"
          aria-expanded={open === i}
          onclick={() => (open = open === i ? null : i)}
        >
          <span class="quiet me-1" aria-hidden="true">{open === i ? '▾' : '▸'}</span> After a save
          the <b>{systemTitle(tables, send.connection)}</b> is sent {send.on === 'new'
            ? say('a new record')
            : say('the record')}
          <span class="quiet">
            {listed(Object.keys(send.values))}{send.when === null
              ? ''
              : `, ${say('only under a condition')}`}
          </span>
        </Button>
        <Button
          kind="link"
          onclick={() =>
            onedit((p) => ({ ...p, sends: (p.sends ?? []).filter((_, k) => k !== i) }))}
          >Remove</Button
        >
      </div>
      {#if open === i}
        <div class="grid gap-2 py-2">
          <div class="flex flex-wrap items-center gap-3">
            <TellRow told={send} {systems} onchange={(change) => update(i, change)} />
            <Select
              class="w-auto!"
              aria-label="When it is sent"
              value={send.on}
              onchange={({ currentTarget: { value } }) => update(i, { on: value as Send['on'] })}
            >
              <option value="new">of a new record</option>
              <option value="every_save">with every save</option>
            </Select>
          </div>
          <NamedFormulas
            id="send-{i}"
            formulas={send.values}
            wanted={toldNames(send)}
            another="Add a value to send"
            placeholder="+ a name in what is sent"
            {live}
            onchange={(values) => update(i, { values })}
          />
          <FormulaRow
            id="send-{i}-when"
            label="Only when"
            says="condition"
            value={send.when ?? ''}
            placeholder="damage"
            {live}
            onchange={(when) => update(i, { when })}
          />
        </div>
      {/if}
    {/each}
  </div>
{/if}
