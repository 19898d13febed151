<script lang="ts">
  import Datepicker from 'flowbite-svelte/Datepicker.svelte';
  import { reader } from '$lib/core/words/reader';
  import { firstControl, startsHere } from '$lib/ui/shared/focus';
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

  /** The calendar reckons in the browser's zone: a day is its midnight there. */
  const chosen = $derived.by(() => {
    const [, year, month, date] = /^(\d{4})-(\d{2})-(\d{2})/.exec(day) ?? [];
    return year === undefined
      ? undefined
      : new Date(Number(year), Number(month) - 1, Number(date), 12);
  });

  function isoOf(date: Date): string {
    const two = (n: number) => String(n).padStart(2, '0');
    const year = String(date.getFullYear()).padStart(4, '0');
    return `${year}-${two(date.getMonth() + 1)}-${two(date.getDate())}`;
  }

  /** The first day of the reader's week; Monday where the runtime does not know. */
  function firstDay(locale: string): 0 | 1 | 2 | 3 | 4 | 5 | 6 {
    const known = new Intl.Locale(locale) as Intl.Locale & {
      getWeekInfo?: () => { firstDay: number };
    };
    return ((known.getWeekInfo?.().firstDay ?? 1) % 7) as 0 | 1 | 2 | 3 | 4 | 5 | 6;
  }

  let frame = $state<HTMLElement>();
</script>

<div
  bind:this={frame}
  class="border-line bg-sheet z-50 rounded border shadow-lg"
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
  {@attach startsHere}
>
  <Datepicker
    inline
    value={chosen}
    locale={reader().locale}
    translationLocale={reader().language}
    firstDayOfWeek={firstDay(reader().locale)}
    class="shadow-none"
    monthBtnSelected="bg-navy text-(--on-navy)"
    monthBtn="text-ink"
    onselect={(picked) => {
      if (picked instanceof Date) onpick(isoOf(picked));
      else if (frame) firstControl(frame)?.focus();
    }}
  />
</div>
