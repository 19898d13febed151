<script lang="ts">
  import { num, say } from '$lib/core/words/say';
  import { reader } from '$lib/core/words/reader';
  import type { Row } from '$lib/core/entry/entry';
  import { systemTitle } from '$lib/core/plan/words';
  import { mailPlan } from '$lib/core/entry/mail-plan';
  import { sendPlan } from '$lib/core/entry/send-plan';
  import { isMade, type PlannedWrite } from '$lib/core/entry/planned-write';
  import { writePlan } from '$lib/core/entry/write-plan';
  import { columnOf } from '$lib/core/table/definition';
  import { formatValue } from '$lib/core/values/format';
  import { isLink, sameValue } from '$lib/core/values/types';
  import type { EntrySession } from './session.svelte';

  interface Props {
    session: EntrySession;
    /** Whether every record is told with its values; how many of what, otherwise. */
    whole?: boolean;
  }
  let { session, whole = true }: Props = $props();

  const mostListed = 50;

  /** What will be written, records of one table with the same done to them together. */
  const groups = $derived.by(() => {
    const found: { table: string; action: PlannedWrite['action']; writes: PlannedWrite[] }[] = [];
    for (const write of writePlan(session.entry)) {
      const { table, action } = write;
      const last = found.at(-1);
      if (last?.table === table && last.action === action) last.writes.push(write);
      else found.push({ table, action, writes: [write] });
    }
    return found;
  });

  const tableOf = (key: string) => session.tables.get(key);

  /** The row of a grid to which a planned record belongs. */
  function rowOf({ path }: PlannedWrite): Row | undefined {
    const match = /^(\w+)\[(\d+)\]$/.exec(path);
    return match ? session.rows(match[1] ?? '')[Number(match[2])] : undefined;
  }

  /** What stands in a column before, where it is known. */
  function beforeOf(planned: PlannedWrite, column: string): string {
    const { stored } = rowOf(planned) ?? session.entry.root;
    const type = tableOf(planned.table)?.columns.find((c) => c.key === column)?.type;
    if (planned.action !== 'update' || stored?.id !== planned.id || !type || isLink(type))
      return '';
    return `${formatValue(type, stored.values[column] ?? null, reader())} → `;
  }

  /** How people know the record that is changed or deleted. */
  function known(planned: PlannedWrite): string {
    const { scope } = rowOf(planned) ?? session.entry.root;
    for (const { field, type } of scope.list) {
      const row = rowOf(planned);
      if (!isLink(type) || type.table !== planned.table) continue;
      if (session.cell(field.key, row).value === planned.id)
        return session.words.shown(field.key, row);
    }
    const line = /\[(\d+)\]$/.exec(planned.path)?.[1];
    return line === undefined ? say(`record ${planned.id}`) : say(`line ${Number(line) + 1}`);
  }

  /** What will be written to a column, as people read it. */
  function shownOf(planned: PlannedWrite, column: string): string {
    const value = planned.values[column] ?? null;
    if (value === null) return '–';
    if (isMade(value)) return say('this record');
    const type = tableOf(planned.table)?.columns.find((c) => c.key === column)?.type;
    const row = rowOf(planned);
    const scope = row?.scope ?? session.entry.root.scope;
    for (const { field, type: held } of scope.list) {
      const same = planned.table === scope.table && field.savesTo === column;
      const referred =
        type !== undefined && isLink(type) && isLink(held) && type.table === held.table;
      if (sameValue(session.cell(field.key, row).value, value) && (same || referred)) {
        return session.words.shown(field.key, row);
      }
    }
    return formatValue(type ?? { kind: 'long_text' }, value, reader());
  }

  const words = { insert: say('new'), update: say('changed'), delete: say('taken out:') } as const;

  function line(planned: PlannedWrite): string {
    if (planned.action === 'delete') return known(planned);
    if (planned.action === 'update') {
      const parts = Object.keys(planned.values).map((column) => {
        const table = tableOf(planned.table);
        const label = (table && columnOf(table, column)?.label) ?? column;
        return `${label} ${beforeOf(planned, column)}${shownOf(planned, column)}`;
      });
      return `${known(planned)}: ${parts.join(' · ')}`;
    }
    return Object.entries(planned.values)
      .filter(([, value]) => value !== null && !isMade(value))
      .map(([column]) => shownOf(planned, column))
      .join(' · ');
  }
</script>

<h2 class="mb-1.5">What will be written</h2>
{#each sendPlan(session.entry) as send, i (i)}
  <div class="border-line-soft border-b py-1">
    sent to <b>{systemTitle(session.tables, send.connection)}</b>
    <span class={['quiet', !whole && 'hidden']}
      >{Object.entries(send.body)
        .map(([name, value]) => `${name} ${value ?? '–'}`)
        .join(' · ')}</span
    >
  </div>
{/each}
{#each mailPlan(session.entry) as mail, i (i)}
  <div class="border-line-soft border-b py-1">
    an e-mail to <b>{[...mail.to, ...mail.people].join(', ')}</b>
    <span class={['quiet', !whole && 'hidden']}>{mail.subject}</span>
  </div>
{/each}
{#each groups as { table: key, action, writes }, g (g)}
  {@const table = tableOf(key)}
  <div class="border-line-soft border-b py-1">
    {num(writes.length)}
    {words[action]} <b>{table?.title.toLowerCase() ?? key}</b>
  </div>
  {#if !whole}
    <!-- How many is enough here. -->
  {:else if writes.length === 1 && writes[0] && action !== 'delete'}
    {@const planned = writes[0]}
    {#if action === 'update' && planned.path !== ''}
      <div class="quiet pt-1">{known(planned)}</div>
    {/if}
    {#each Object.keys(planned.values) as column (column)}
      <div class="border-line-soft flex justify-between gap-3 border-b py-1 text-[13.5px]">
        <span class="text-soft">{(table && columnOf(table, column)?.label) ?? column}</span>
        <span class="text-right">
          <span class="text-soft">{beforeOf(planned, column)}</span>{shownOf(planned, column)}
        </span>
      </div>
    {/each}
  {:else}
    <ol class="m-0 list-none p-0">
      {#each writes.slice(0, mostListed) as planned, i (i)}
        <li class="border-line-soft border-b py-1 text-[13px]">
          {#if action === 'insert'}<span class="text-soft">{i + 1}</span>{/if}
          {line(planned)}
        </li>
      {/each}
      {#if writes.length > mostListed}
        <li class="quiet py-1">and {num(writes.length - mostListed)} more</li>
      {/if}
    </ol>
  {/if}
{:else}
  <p class="quiet">No changes yet.</p>
{/each}
