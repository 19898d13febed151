<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { Combobox, Marked } from '$lib/ui/parts';
  import type { Origin } from './comes-from';

  interface Props {
    id: string;
    /** What it comes from now, in the terms of {@link Origin}. */
    word: string;
    origins: readonly Origin[];
    onchoose: (origin: Origin) => void;
  }
  let { id, word, origins, onchoose }: Props = $props();

  const now = $derived(origins.find((origin) => origin.word === word));

  /** Every typed word is to stand in the heading, the name, or what is said. */
  function find(search: string) {
    const words = search.toLowerCase().split(/\s+/);
    const choices = origins.filter(({ group, label, says }) => {
      const text = `${group} ${label} ${says}`.toLowerCase();
      return words.every((part) => text.includes(part));
    });
    return Promise.resolve({ choices });
  }

  const shown = $derived(
    now
      ? ([say('By hand'), say('Computed')].includes(now.group) ? '' : `${now.group}: `) + now.label
      : '',
  );
</script>

<Combobox
  {id}
  label="where the value comes from"
  class="w-full max-w-[420px]"
  {shown}
  {find}
  keeps
  patience={0}
  isCurrent={(origin) => origin.word === word}
  groupOf={({ group }) => group}
  onchoose={(origin) => origin && onchoose(origin)}
>
  {#snippet option({ label, says }, { typed, current })}
    <span class="flex items-baseline gap-2">
      <span class={current ? 'font-semibold' : ''}><Marked text={label} {typed} /></span>
      <span class="quiet truncate">{says}</span>
    </span>
  {/snippet}
</Combobox>
