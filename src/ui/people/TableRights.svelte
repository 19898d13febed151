<script lang="ts">
  import { say, num } from '$lib/core/words/say';
  import type { TableRight } from '$lib/core/access/role';
  import { triedAnswer, type Tried } from '$lib/core/contract/people';
  import type { Problem } from '$lib/core/problems';
  import { Input, Select } from '$lib/ui/parts';
  import { call } from '$lib/ui/shared/api';

  interface Props {
    role: string;
    table: { key: string; title: string; columns: readonly { key: string; label: string }[] };
    right: TableRight;
    onchange: (part: Partial<TableRight>) => void;
  }
  /** Which records and columns of a table the people of a role see. */
  let { role, table, right, onchange }: Props = $props();

  let tried = $state.raw<Tried | null>(null);
  let fault = $state.raw<Problem | null>(null);
  const id = $props.id();

  /** Milliseconds after the last letter until the condition is tried. */
  const patience = 250;

  $effect(() => {
    const { when } = right;
    const timer = setTimeout(() => void attempt(when), patience);
    return () => clearTimeout(timer);
  });

  async function attempt(when: string) {
    const body = { table: table.key, when };
    const called = await call(triedAnswer, `/api/roles/${role}/try`, { body });
    if (when !== right.when) return;
    tried = called.ok ? called.value : null;
    fault = called.ok ? null : (called.problems[0] ?? null);
  }

  const stateOf = (key: string) =>
    right.hidden.includes(key) ? 'hidden' : right.readOnly.includes(key) ? 'read' : 'all';

  function choose(key: string, state: string) {
    const without = (list: readonly string[]) => list.filter((one) => one !== key);
    onchange({
      hidden: state === 'hidden' ? [...without(right.hidden), key] : without(right.hidden),
      readOnly: state === 'read' ? [...without(right.readOnly), key] : without(right.readOnly),
    });
  }
</script>

<div class="grid gap-3 py-1">
  <div class="grid gap-1">
    <label class="font-semibold" for="{id}-when">Only records where …</label>
    <Input
      id="{id}-when"
      class="font-mono text-[13px]!"
      value={right.when}
      placeholder="region = person.region"
      maxlength={2000}
      spellcheck="false"
      aria-invalid={fault ? true : undefined}
      aria-describedby="{id}-tried"
      oninput={(event) => onchange({ when: event.currentTarget.value })}
    />
    <p id="{id}-tried" class="m-0 {fault ? 'text-crimson' : 'quiet'}" aria-live="polite">
      {#if fault}
        {fault.message} {fault.hint}
      {:else if tried && tried.people.length > 0}
        {tried.people.map(({ shown, records }) => say(`${shown} sees ${num(records)}`)).join(' · ')} ·
        {say(`of ${num(tried.total)}`)}
      {:else}
        A condition over the record and the person; empty, all are seen.
      {/if}
    </p>
  </div>
  <div class="flex flex-wrap gap-x-5 gap-y-2">
    {#each table.columns as { key, label } (key)}
      <label class="flex items-center gap-2">
        <span>{label}</span>
        <Select
          class="w-32!"
          aria-label={label}
          value={stateOf(key)}
          onchange={(event) => choose(key, event.currentTarget.value)}
        >
          <option value="all">shown</option>
          <option value="read">read-only</option>
          <option value="hidden">hidden</option>
        </Select>
      </label>
    {/each}
  </div>
</div>
