<script lang="ts">
  import { num, say } from '$lib/core/words/say';
  import { reader } from '$lib/core/words/reader';
  import { Button, Ledger } from '$lib/ui/parts';
  import type { Row } from '$lib/core/entry/entry';
  import type { Section } from '$lib/core/plan/schema';
  import { groupsOf, totalOf, totalType, type View } from '$lib/core/table/view';
  import { formatValue } from '$lib/core/values/format';
  import { totalWords } from '$lib/core/table/total-words';
  import type { EntrySession } from './session.svelte';

  interface Props {
    session: EntrySession;
    section: Section;
    view: View;
    rows: readonly Row[];
    /** Looks at the lines of a group alone, which is called so. */
    onnarrow: (label: string, rows: readonly Row[]) => void;
  }
  let { session, section, view, rows, onnarrow }: Props = $props();

  const fieldOf = (column: string | null) =>
    section.fields.find(({ savesTo }) => savesTo !== null && savesTo === column);
  const by = $derived(fieldOf(view.group));

  /** The totals that columns of the grid can give. */
  const totals = $derived(
    view.totals.flatMap(({ column, kind }) => {
      const field = fieldOf(column);
      const type = field && session.form.scopes.get(section.key)?.fields.get(field.key)?.type;
      if (!field || !type) return [];
      const label = kind === 'sum' ? field.label : `${field.label}, ${totalWords[kind]}`;
      return [{ key: field.key, label, kind, type }];
    }),
  );

  /** The lines by the grouping column, and all of them. */
  const groups = $derived.by(() => {
    const { entry } = session;
    const parts = by
      ? groupsOf(rows, (row) => entry.value(by.key, row)).map((group) => {
          const [first] = group.rows;
          const shown = first ? session.words.shown(by.key, first) : '';
          return { name: shown || say(`without ${by.label.toLowerCase()}`), rows: group.rows };
        })
      : [];
    return [...parts, { name: say('All'), rows: [...rows] }].map(({ name, rows: lines }) => ({
      name,
      lines,
      sums: totals.map(({ key, kind, type }) => {
        const values = lines.map((row) => entry.value(key, row));
        return formatValue(totalType(kind, type), totalOf(kind, type, values), reader());
      }),
    }));
  });
</script>

{#if by || totals.length > 0}
  <Ledger class="border-line mt-2 w-auto! min-w-72 border" aria-label="Sums of {section.title}">
    <thead>
      <tr>
        <th>{by?.label ?? ''}</th>
        <th class="num">Lines</th>
        {#each totals as { key, kind, label } (`${key} ${kind}`)}<th class="num">{label}</th>{/each}
      </tr>
    </thead>
    <tbody>
      {#each groups as { name, lines, sums }, i (i)}
        <tr class:font-semibold={i === groups.length - 1}>
          <td>
            {#if i < groups.length - 1}
              <Button kind="bare" class="hover:underline" onclick={() => onnarrow(name, lines)}
                >{name}</Button
              >
            {:else}
              {name}
            {/if}
          </td>
          <td class="num">{num(lines.length)}</td>
          {#each sums as sum, k (k)}<td class="num">{sum}</td>{/each}
        </tr>
      {/each}
    </tbody>
  </Ledger>
{/if}
