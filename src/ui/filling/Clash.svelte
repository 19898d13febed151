<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { unseenRecord } from '$lib/core/words/unseen';
  import { reader } from '$lib/core/words/reader';
  import { Button, Ledger, Radio } from '$lib/ui/parts';
  import { SvelteMap } from 'svelte/reactivity';
  import { conflictKey, type Conflict, type Elsewhere, type Side } from '$lib/core/entry/merge';
  import { scopeIn } from '$lib/core/entry/stored';
  import { formatValue } from '$lib/core/values/format';
  import { keptText } from '$lib/core/values/kept-text';
  import type { Value } from '$lib/core/values/types';
  import type { Clash } from './clash';
  import type { EntrySession } from './session.svelte';

  interface Props {
    session: EntrySession;
    clash: Clash;
    onsettle: (sides: ReadonlyMap<string, Side>) => void;
  }
  let { session, clash, onsettle }: Props = $props();

  const sides = new SvelteMap<string, Side>();
  const side = (key: string): Side => sides.get(key) ?? 'yours';
  const by = $derived(clash.told[0]?.by ?? say('somebody'));
  const mostListed = 20;

  const label = (grid: string, field: string) =>
    field === ''
      ? say('what stands in it')
      : (scopeIn(session.form, grid).fields.get(field)?.field.label ?? field);

  /** What is told of a conflict; where only rows inside a row were changed, that. */
  const parts = ({ fields }: Conflict) =>
    fields.length > 0 ? fields : [{ field: '', base: null, yours: null, theirs: null }];

  /** A line of a grid by its place here, or else by what it shows. */
  function place({ grid, id }: { grid: string; id: number }): string {
    if (grid === '') return '';
    const { title, table } = scopeIn(session.form, grid);
    const at = session.rows(grid).findIndex(({ stored }) => stored?.id === id);
    const line = clash.shown[`${table} ${id}`];
    return `${title}, ${at === -1 ? line || unseenRecord() : say(`line ${at + 1}`)}`;
  }

  function shown(grid: string, field: string, value: Value): string {
    const type = scopeIn(session.form, grid).fields.get(field)?.type;
    if (field === '') return say('changed');
    if (!type) return '–';
    const lineOf = (table: string, id: number) => clash.shown[`${table} ${id}`] || unseenRecord();
    return keptText(type, value, reader(), lineOf);
  }

  function when({ grid, id }: { grid: string; id: number }, field: string | null): string {
    const { table, fields } = scopeIn(session.form, grid);
    const column = field && (fields.get(field)?.field.savesTo ?? field);
    const found =
      clash.told.find((t) => t.table === table && t.id === id && t.column === column) ??
      clash.told.find((t) => t.table === table && t.id === id);
    if (!found?.at) return found?.by ?? by;
    return `${found.by}, ${formatValue({ kind: 'date_time' }, found.at, reader())}`;
  }

  const choices = (mine: string, theirs: string) =>
    [
      { value: 'yours', label: mine },
      { value: 'theirs', label: theirs },
    ] as const;

  const wholeRow = (conflict: Conflict) =>
    conflict.kind === 'gone'
      ? choices(say('add it again'), say('leave it out'))
      : choices(say('take it out'), say('leave it in'));

  function told(change: Elsewhere): string {
    const at = place(change);
    if (change.kind === 'added') return say(`${at}: added`);
    if (change.kind === 'gone') return say(`${at}: taken out`);
    const parts = change.fields.map(({ field, before, now }) => {
      const [was, is] = [before, now].map((value) => shown(change.grid, field, value));
      return `${label(change.grid, field)} ${was} → ${is}`;
    });
    return `${at === '' ? '' : `${at}: `}${parts.join(', ')}`;
  }

  function focus(node: HTMLElement) {
    node.focus();
  }
</script>

<section
  class="rounded border border-marigold bg-sheet px-3.5 py-3 outline-none"
  aria-label="Changed meanwhile"
  tabindex="-1"
  use:focus
>
  <h2>This record has just been saved by {by}</h2>
  {#if clash.conflicts.length > 0}
    <p class="quiet mb-2">
      You both changed these fields. Choose which version to keep; nothing is saved yet.
    </p>
    <Ledger class="border-line border">
      <thead>
        <tr><th>What</th><th>It was</th><th>You</th><th>They</th><th>By whom</th><th>Take</th></tr>
      </thead>
      <tbody>
        {#each clash.conflicts as conflict (`${conflict.grid} ${conflict.id}`)}
          {@const whole = conflict.kind !== 'changed'}
          {#each parts(conflict) as { field, base, yours, theirs }, i (field)}
            {@const key = conflictKey(conflict.grid, conflict.id, whole ? '' : field)}
            <tr>
              <td>
                {#if conflict.grid !== ''}<span class="text-soft">{place(conflict)}:</span>{/if}
                {label(conflict.grid, field)}
              </td>
              <td>{shown(conflict.grid, field, base)}</td>
              <td
                >{conflict.kind === 'left'
                  ? say('taken out')
                  : shown(conflict.grid, field, yours)}</td
              >
              <td
                >{conflict.kind === 'gone'
                  ? say('taken out')
                  : shown(conflict.grid, field, theirs)}</td
              >
              <td class="text-soft">{when(conflict, field)}</td>
              <td>
                {#if !whole || i === 0}
                  {@const what = whole ? place(conflict) : label(conflict.grid, field)}
                  <div
                    class="flex gap-3 whitespace-nowrap"
                    role="radiogroup"
                    aria-label="Take for {what}"
                  >
                    {#each whole ? wholeRow(conflict) : choices(say('mine'), say('theirs')) as option (option.value)}
                      <Radio
                        name={key}
                        value={option.value}
                        group={side(key)}
                        onchange={() => sides.set(key, option.value)}>{option.label}</Radio
                      >
                    {/each}
                  </div>
                {/if}
              </td>
            </tr>
          {/each}
        {/each}
      </tbody>
    </Ledger>
  {/if}
  {#if clash.elsewhere.length > 0}
    <p class="quiet mt-2">
      {clash.conflicts.length > 0
        ? say('Fields you did not touch are updated')
        : say('Your changes do not overlap with theirs. Their changes are kept')}
      to their version:
    </p>
    <ul class="m-0 list-none p-0">
      {#each clash.elsewhere.slice(0, mostListed) as change (`${change.grid} ${change.id}`)}
        <li>{told(change)}</li>
      {/each}
      {#if clash.elsewhere.length > mostListed}
        <li class="quiet">and {clash.elsewhere.length - mostListed} more</li>
      {/if}
    </ul>
  {/if}
  {#if clash.conflicts.length === 0 && clash.elsewhere.length === 0}
    <p class="quiet">Nothing that you can see here has changed.</p>
  {/if}
  <div class="mt-3">
    <Button onclick={() => onsettle(sides)}>Merge</Button>
    <span class="quiet ms-2">You can still change anything before you save.</span>
  </div>
</section>
