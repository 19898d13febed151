<script lang="ts">
  import { say } from '$lib/core/words/say';
  import type { Row } from '$lib/core/entry/entry';
  import { picturedRows, partOf } from '$lib/core/table/pictured';
  import type { Picture } from '$lib/core/table/view';
  import type { Value } from '$lib/core/values/types';
  import DrawnPicture from '$lib/ui/tables/DrawnPicture.svelte';
  import { partsOf } from '$lib/ui/tables/view-words';
  import type { GridColumnDrawn } from './grid-columns';
  import type { EntrySession } from './session.svelte';

  interface Props {
    session: EntrySession;
    title: string;
    columns: readonly GridColumnDrawn[];
    picture: Picture;
    rows: readonly Row[];
    onpicture: (picture: Picture | null) => void;
    /** Looks at the lines behind a part of the picture, which is called so. */
    onnarrow: (label: string, rows: readonly Row[]) => void;
  }
  let { session, title, columns, picture, rows, onpicture, onnarrow }: Props = $props();

  const fieldOf = (column: string) => columns.find(({ key }) => key === column);
  const by = $derived(fieldOf(picture.by));

  const valueOf = (field: string, row: Row): Value => session.entry.value(field, row);

  const pictured = $derived.by(() => {
    if (!by) return null;
    const of = picture.total ? fieldOf(picture.total.column) : undefined;
    return picturedRows(
      rows,
      {
        type: by.type,
        valueOf: (row) => valueOf(by.field, row),
        labelOf: (row, value) =>
          value === null ? say(`without ${by.label}`) : session.words.shown(by.field, row),
      },
      of && picture.total
        ? { kind: picture.total.kind, type: of.type, valueOf: (row) => valueOf(of.field, row) }
        : null,
    );
  });

  function pick(place: number) {
    if (!pictured || !by) return;
    const drawn = pictured;
    const part = partsOf(drawn, by.type.kind === 'whole')[place];
    const meant = rows.filter((row) => partOf(drawn, valueOf(by.field, row)) === place);
    if (part) onnarrow(part.label, meant);
  }
</script>

<div
  class="border-line bg-sheet mt-2 max-h-[360px] min-w-[min(320px,100%)] flex-1 overflow-auto border p-3"
  role="group"
  aria-label={say(`Picture of ${title}`)}
>
  <DrawnPicture {columns} {picture} {pictured} rows={say('Lines')} {onpicture} onpick={pick} />
</div>
