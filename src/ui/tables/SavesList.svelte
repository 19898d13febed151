<script lang="ts">
  import { dayIn } from '$lib/core/values/dates';
  import { formatValue } from '$lib/core/values/format';
  import { reader } from '$lib/core/words/reader';
  import { listed, plural, say } from '$lib/core/words/say';

  interface Save {
    id: number;
    kind: string;
    by: string;
    at: string;
    form: string | null;
    table: string;
    record: number | null;
    action: string | null;
    shown: string;
    there: boolean;
    rows: number | null;
    others: readonly { table: string; action: string; records: number }[];
  }
  interface Props {
    saves: readonly Save[];
    tables: readonly { key: string; title: string }[];
    forms: readonly { key: string; title: string }[];
    /** Whether it stands beside something else, without the forms. */
    narrow?: boolean;
  }
  let { saves, tables, forms, narrow = false }: Props = $props();

  const titles = $derived(new Map(tables.map(({ key, title }) => [key, title])));
  const formTitles = $derived(new Map(forms.map(({ key, title }) => [key, title])));
  const titleOf = (table: string) => titles.get(table) ?? table;

  /** The saves by the reader's days. */
  const days = $derived.by(() => {
    const { zone } = reader();
    const today = dayIn(zone, new Date());
    const found: { day: string; name: string; saves: Save[] }[] = [];
    for (const save of saves) {
      const day = dayIn(zone, new Date(save.at));
      const last = found.at(-1);
      if (last?.day === day) last.saves.push(save);
      else {
        const name = day === today ? say('Today') : formatValue({ kind: 'date' }, day, reader());
        found.push({ day, name, saves: [save] });
      }
    }
    return found;
  });

  function timeOf(at: string): string {
    const { locale, zone } = reader();
    return new Intl.DateTimeFormat(locale, { timeStyle: 'short', timeZone: zone }).format(
      new Date(at),
    );
  }

  function did({ kind, action }: Save): string {
    if (kind === 'import') return say('imported rows into');
    if (kind === 'undo') return say('undid a save of');
    if (kind === 'restore') return say('restored');
    return action === 'delete'
      ? say('deleted')
      : action === 'update'
        ? say('changed')
        : say('added');
  }

  function besides({ rows, others }: Save): string {
    if (rows !== null) return plural(rows, ['# row', '# rows']);
    return listed(
      others.map(({ table, action, records }) => {
        const words = { insert: say('added'), update: say('changed'), delete: say('deleted') };
        const what = words[action as keyof typeof words] ?? action;
        return `${plural(records, ['# record', '# records'])} ${say('of')} ${titleOf(table)} ${what}`;
      }),
    );
  }
</script>

{#each days as { day, name, saves: ofDay } (ofDay[0]?.id ?? day)}
  <svelte:element
    this={narrow ? 'h3' : 'h2'}
    class="text-soft border-line border-b pb-1.5 font-sans! text-[12px]! font-semibold not-first:mt-5"
  >
    {name}
  </svelte:element>
  <ul class="m-0 list-none p-0">
    {#each ofDay as save (save.id)}
      <li class="border-line-soft grid grid-cols-[52px_minmax(0,1fr)] border-b py-2 text-[13.5px]">
        <span class="text-soft">{timeOf(save.at)}</span>
        <span class="wrap-anywhere">
          <b>{save.by}</b>
          {did(save)}
          {#if save.record !== null && save.there}
            <a class="ref" href="/tables/{save.table}/records/{save.record}">{save.shown}</a>
          {:else if save.record !== null && save.shown}
            {save.shown}
          {:else}
            <a class="ref" href="/tables/{save.table}">{titleOf(save.table)}</a>
          {/if}
          <span class="quiet block">
            {titleOf(save.table)}{besides(save) === '' ? '' : ` · ${besides(save)}`}{save.form &&
            !narrow
              ? ` · ${formTitles.get(save.form) ?? save.form}`
              : ''}
          </span>
        </span>
      </li>
    {/each}
  </ul>
{:else}
  <p class="quiet">Nothing has been saved yet.</p>
{/each}
