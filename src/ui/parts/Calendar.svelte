<script lang="ts">
  import { isSameDay, parseDate, today, type DateValue } from '@internationalized/date';
  import { Calendar } from 'bits-ui';
  import { ChevronLeftOutline, ChevronRightOutline } from 'flowbite-svelte-icons';
  import { onMount, untrack } from 'svelte';
  import { reader } from '$lib/core/words/reader';
  import { num } from '$lib/core/words/say';
  import { focusable, goTo } from '$lib/ui/shared/focus';
  import { standsAt } from './floating';

  interface Props {
    /** The day that is chosen, as ISO 8601 writes it; empty where there is none. */
    day: string;
    anchor: HTMLElement | undefined;
    label: string;
    onpick: (day: string) => void;
    onclose: () => void;
  }
  let { day, anchor, label, onpick, onclose }: Props = $props();

  const chosen = $derived.by<DateValue | undefined>(() => {
    const [iso] = /^\d{4}-\d{2}-\d{2}/.exec(day) ?? [];
    return iso === undefined ? undefined : parseDate(iso);
  });

  /** The first day of the reader's week, Sunday as 0; Monday where the runtime does not know. */
  function firstDay(locale: string): 0 | 1 | 2 | 3 | 4 | 5 | 6 {
    const known = new Intl.Locale(locale) as Intl.Locale & {
      getWeekInfo?: () => { firstDay: number };
    };
    return ((known.getWeekInfo?.().firstDay ?? 1) % 7) as 0 | 1 | 2 | 3 | 4 | 5 | 6;
  }

  let frame = $state<HTMLElement>();
  /** The day at which the cursor begins. */
  const starts = untrack(() => chosen ?? today(reader().zone));
  const start = 'calendar/start';
  onMount(() => goTo(start));

  const look =
    'data-selected:bg-navy data-today:not-data-selected:text-link data-selected:text-(--on-navy) data-outside-month:text-soft hover:bg-paper data-selected:hover:bg-navy flex h-8 w-9 cursor-pointer items-center justify-center rounded data-today:font-semibold data-outside-month:cursor-default data-outside-month:opacity-60';

  const turns = 'flex h-7 w-7 items-center justify-center rounded hover:bg-paper rtl:-scale-x-100';
</script>

<div
  bind:this={frame}
  class="border-line bg-sheet z-50 rounded border p-3 shadow-lg"
  role="dialog"
  aria-label={label}
  tabindex={-1}
  onkeydown={(event) => {
    if (event.key !== 'Escape') return;
    event.preventDefault();
    event.stopPropagation();
    onclose();
  }}
  onfocusout={({ relatedTarget }) => {
    if (relatedTarget instanceof Node && !frame?.contains(relatedTarget)) onclose();
  }}
  {@attach standsAt(() => anchor)}
>
  <!-- The day that is chosen is chosen again by picking it. -->
  <Calendar.Root
    type="single"
    value={chosen}
    placeholder={starts}
    onValueChange={(picked) => onpick(picked?.toString() ?? day.slice(0, 10))}
    locale={reader().locale}
    weekStartsOn={firstDay(reader().locale)}
    weekdayFormat="short"
    calendarLabel={label}
    fixedWeeks
  >
    {#snippet children({ months, weekdays })}
      <div class="mb-1 flex items-center justify-between">
        <Calendar.PrevButton class={turns} aria-label="Previous month">
          <ChevronLeftOutline size="sm" ariaLabel="" />
        </Calendar.PrevButton>
        <Calendar.Heading class="text-[13.5px] font-semibold" />
        <Calendar.NextButton class={turns} aria-label="Next month">
          <ChevronRightOutline size="sm" ariaLabel="" />
        </Calendar.NextButton>
      </div>
      {#each months as month (month.value.toString())}
        <Calendar.Grid class="text-[13px]">
          <Calendar.GridHead>
            <Calendar.GridRow>
              {#each weekdays as weekday, i (i)}
                <Calendar.HeadCell class="text-soft h-7 w-9 text-center text-[12px] font-semibold"
                  >{weekday}</Calendar.HeadCell
                >
              {/each}
            </Calendar.GridRow>
          </Calendar.GridHead>
          <Calendar.GridBody>
            {#each month.weeks as week (week[0]?.toString())}
              <Calendar.GridRow>
                {#each week as date (date.toString())}
                  <Calendar.Cell {date} month={month.value} class="p-0 text-center">
                    <Calendar.Day class={look}>
                      {#snippet child({ props })}
                        <div
                          {...props}
                          {@attach focusable(isSameDay(date, starts) ? start : undefined)}
                        >
                          {num(date.day)}
                        </div>
                      {/snippet}
                    </Calendar.Day>
                  </Calendar.Cell>
                {/each}
              </Calendar.GridRow>
            {/each}
          </Calendar.GridBody>
        </Calendar.Grid>
      {/each}
    {/snippet}
  </Calendar.Root>
</div>
