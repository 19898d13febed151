<script lang="ts">
  import { num, plural, say } from '$lib/core/words/say';
  import { monthName } from '$lib/core/words/month';
  import type { Condition } from '$lib/core/table/conditions';
  import type { Table } from '$lib/core/table/definition';
  import {
    totalsFor,
    type Picture,
    type Pictured,
    type Total,
    type TotalKind,
  } from '$lib/core/table/view';
  import { isNumeric, severalIn } from '$lib/core/values/types';
  import { Button, Ledger, Select } from '$lib/ui/parts';
  import Bars from '$lib/ui/shared/Bars.svelte';
  import Bins from '$lib/ui/shared/Bins.svelte';
  import Months from '$lib/ui/shared/Months.svelte';
  import Stepped from '$lib/ui/shared/Stepped.svelte';
  import { totalWords } from './view-words';

  interface Props {
    table: Table;
    picture: Picture;
    pictured: Pictured | null;
    onpicture: (picture: Picture | null) => void;
    /** Looks at the records behind a part of the picture. */
    onnarrow: (condition: Condition) => void;
  }
  let { table, picture, pictured, onpicture, onnarrow }: Props = $props();

  let asTable = $state(false);
  let at = $state<number | null>(null);

  const drawable = $derived(table.columns.filter(({ type }) => !severalIn(type)));
  const column = $derived(table.columns.find(({ key }) => key === picture.by));
  const totals = $derived(
    table.columns.flatMap(({ key, label, type }) =>
      totalsFor(type)
        .filter((kind) => kind !== 'count' && isNumeric(type))
        .map((kind) => ({ column: key, kind, label: `${label}, ${totalWords[kind]}` })),
    ),
  );
  const nameOf = (total: Total | null) => (total ? `${total.column} ${total.kind}` : '');
  const what = $derived(
    totals.find((one) => nameOf(one) === nameOf(picture.total))?.label ?? say('Records'),
  );
  const title = $derived(say(`${what} by ${column?.label ?? picture.by}`));

  interface Line {
    label: string;
    n: number;
    condition: Condition;
  }
  /** The values of the picture, one by one, each with what narrows to it. */
  const lines = $derived.by((): Line[] => {
    const path = picture.by;
    if (pictured?.kind === 'bars') {
      return pictured.bars.map(({ label, value, n }) => {
        const empty = value === null;
        const operator = empty ? ('empty' as const) : ('equal' as const);
        return { label, n, condition: { path, operator, values: empty ? [] : [value] } };
      });
    }
    const between = (from: string | number, to: string | number): Condition => ({
      ...{ path, operator: 'between', values: [from, to] },
    });
    if (pictured?.kind === 'months') {
      const suffix = column?.type.kind === 'date_time' ? ['T00:00:00Z', 'T23:59:59Z'] : ['', ''];
      return pictured.months.map(({ month, n }) => {
        const [year = 0, number = 1] = month.split('-').map(Number);
        const last = new Date(Date.UTC(year, number, 0)).getUTCDate();
        const condition = between(`${month}-01${suffix[0]}`, `${month}-${last}${suffix[1]}`);
        return { label: monthName(month), n, condition };
      });
    }
    const whole = column?.type.kind === 'whole';
    const bound = (n: number) => (whole ? n : String(n));
    return (pictured?.bins ?? []).map(({ from, to, n }, i, all) => {
      const upTo = whole && i < all.length - 1 ? to - 1 : to;
      const condition = between(bound(from), bound(upTo));
      return { label: `${num(from)} – ${num(upTo)}`, n, condition };
    });
  });

  const said = (place: number) => {
    const line = lines[place];
    return line ? `${line.label}: ${num(line.n)}` : '';
  };
  const pick = (place: number) => {
    const line = lines[place];
    if (line) onnarrow(line.condition);
  };
  const others = $derived(pictured?.kind === 'bars' ? pictured.others : 0);

  function change(by: string, total: string) {
    const found = totals.find((one) => nameOf(one) === total);
    at = null;
    onpicture({
      by,
      total: found ? { column: found.column, kind: found.kind as TotalKind } : null,
    });
  }
</script>

<aside
  class="border-line bg-sheet w-[360px] max-w-full shrink-0 overflow-auto border-s p-4 max-md:w-full max-md:border-s-0 max-md:border-b"
  aria-label="Picture"
>
  <div class="mb-3 flex flex-wrap items-center gap-2 text-[13px]">
    <Select
      class="h-7! w-auto! max-w-40 py-0!"
      aria-label="What is drawn"
      value={nameOf(picture.total)}
      onchange={({ currentTarget }) => change(picture.by, currentTarget.value)}
    >
      <option value="">Records</option>
      {#each totals as total (nameOf(total))}
        <option value={nameOf(total)}>{total.label}</option>
      {/each}
    </Select>
    by
    <Select
      class="h-7! w-auto! max-w-40 py-0!"
      aria-label="By which column"
      value={picture.by}
      onchange={({ currentTarget }) => change(currentTarget.value, nameOf(picture.total))}
    >
      {#each drawable as one (one.key)}<option value={one.key}>{one.label}</option>{/each}
    </Select>
    <Button
      kind="bare"
      class="text-soft ms-auto"
      aria-label="Close the picture"
      onclick={() => onpicture(null)}>×</Button
    >
  </div>
  {#if !pictured || lines.length === 0}
    <p class="quiet">There is nothing to draw.</p>
  {:else if asTable}
    <Ledger class="border-line border" aria-label={title}>
      <thead><tr><th>{column?.label}</th><th class="num">{what}</th></tr></thead>
      <tbody>
        {#each lines as { label, n }, place (place)}
          <tr>
            <td>
              <Button kind="bare" class="hover:underline" onclick={() => pick(place)}
                >{label}</Button
              >
            </td>
            <td class="num">{num(n)}</td>
          </tr>
        {/each}
      </tbody>
    </Ledger>
  {:else if pictured.kind === 'bars'}
    <Bars
      bars={pictured.bars.map(({ label, n }) => ({ label, n, before: 0 }))}
      parts={(picture.total === null || picture.total.kind === 'sum') && others === 0}
      onpick={pick}
    />
  {:else}
    <Stepped
      label={title}
      count={lines.length}
      {at}
      {said}
      onat={(place) => (at = place)}
      onpick={pick}
    >
      {#if pictured.kind === 'months'}
        <Months months={pictured.months.map((one) => ({ ...one, before: 0 }))} label={title} {at} />
      {:else}
        <Bins
          bins={pictured.bins.map((one) => ({ ...one, before: 0 }))}
          spread={pictured.spread}
          spreadBefore={null}
          {at}
        />
      {/if}
    </Stepped>
    {#if pictured.kind === 'spread'}
      {@const { low, high, middle } = pictured.spread}
      <p class="quiet">
        Half of them are from {num(Number(low))} to {num(Number(high))}; the middle one is {num(
          Number(middle),
        )}.
      </p>
    {/if}
  {/if}
  {#if others > 0}
    <p class="quiet mt-2">{plural(others, ['and # other value', 'and # other values'])}</p>
  {/if}
  {#if lines.length > 0}
    <div class="mt-3">
      <Button kind="link" onclick={() => (asTable = !asTable)}>
        {asTable ? say('As a picture') : say('As a table')}
      </Button>
    </div>
  {/if}
</aside>
