<script lang="ts">
  import { mayForm } from '$lib/ui/shared/may';
  import { scaleLinear } from 'd3-scale';
  import { Button, Ledger } from '$lib/ui/parts';
  import { num, plural, say } from '$lib/core/words/say';
  import { ago } from '$lib/ui/shared/ago';

  interface Props {
    forms: readonly {
      key: string;
      title: string;
      table: string;
      edition: number;
      use: { days: Record<string, number>; last: { at: string; by: string } } | null;
    }[];
    tables: readonly { key: string; title: string }[];
    /** The days that are drawn, as ISO 8601 writes them. */
    days: readonly string[];
  }
  let { forms, tables, days }: Props = $props();

  const titles = $derived(new Map(tables.map(({ key, title }) => [key, title])));
  const usesOf = (form: Props['forms'][number]) => days.map((day) => form.use?.days[day] ?? 0);
  const most = $derived(Math.max(1, ...forms.flatMap(usesOf)));
  const height = $derived(scaleLinear([0, most], [1, 24]));
  const sum = (counts: readonly number[]) => counts.reduce((all, n) => all + n, 0);
</script>

<Ledger>
  <thead>
    <tr>
      <th class="ps-0!">Form, and what it writes</th>
      <th class="max-sm:hidden">Filled in, last {num(days.length)} days</th>
      <th class="max-md:hidden">Last used</th>
      <th><span class="sr-only">Actions</span></th>
    </tr>
  </thead>
  <tbody>
    {#each forms as form (form.key)}
      {@const counts = usesOf(form)}
      {@const all = sum(counts)}
      <tr>
        <td class="ps-0!">
          <a
            class="font-semibold hover:underline"
            href="/forms/{form.key}{form.edition > 0 ? '' : '/design'}">{form.title}</a
          >
          <span class="quiet block">
            {titles.get(form.table) ?? form.table}{form.edition > 0
              ? ''
              : ` · ${say('not published yet')}`}
          </span>
        </td>
        <td class="max-sm:hidden">
          <span class="flex items-end gap-3">
            <svg
              width={days.length * 9}
              height="25"
              role="img"
              aria-label={plural(all, ['Filled in # time', 'Filled in # times'])}
            >
              {#each counts as count, i (days[i])}
                <rect
                  x={i * 9}
                  y={25 - height(count)}
                  width="7"
                  height={height(count)}
                  class={count === 0 ? 'fill-(--edge)' : 'fill-(--navy)'}
                ></rect>
              {/each}
            </svg>
            <b>{num(all)}</b>
          </span>
        </td>
        <td class="max-md:hidden">
          {#if form.use}
            {ago(form.use.last.at)}
            <span class="quiet block">{form.use.last.by}</span>
          {:else}<span class="text-soft">–</span>{/if}
        </td>
        <td class="pe-0! text-end whitespace-nowrap">
          {#if form.edition > 0 && mayForm(form.key, 'fill')}
            <Button kind="other" href="/forms/{form.key}" class="me-3">Fill in</Button>
          {/if}
          {#if mayForm(form.key, 'design')}
            <a class="textlink" href="/forms/{form.key}/design">Design</a>
          {/if}
        </td>
      </tr>
    {/each}
  </tbody>
</Ledger>
