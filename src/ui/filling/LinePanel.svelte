<script lang="ts">
  import { Button } from '$lib/ui/parts';
  import type { Row } from '$lib/core/entry/entry';
  import FormField from './FormField.svelte';
  import GridSection from './GridSection.svelte';
  import { startsHere } from '$lib/ui/shared/focus';
  import type { EntrySession } from './session.svelte';

  interface Props {
    session: EntrySession;
    row: Row;
    onclose: () => void;
  }
  let { session, row, onclose }: Props = $props();

  const lines = $derived(session.rows(row.scope.key, row.parent ?? undefined));
  const at = $derived(lines.indexOf(row));
  const fields = $derived(
    row.scope.list
      .map(({ field }) => field)
      .filter(({ key, shows }) => shows !== 'nothing' && !session.cell(key, row).hidden),
  );
  const inside = $derived(
    session.form.plan.sections.filter(
      ({ key, grid }) => grid?.within === row.scope.key && session.isThere(key),
    ),
  );
  /** Goes to the line before or after this one. */
  function turn(by: 1 | -1) {
    const next = lines[at + by];
    if (!next) return;
    session.closePanel();
    session.openPanel({ kind: 'line', row: next });
  }
</script>

<div {@attach startsHere} class="min-h-0 flex-1 overflow-auto px-5 py-4">
  <div class="fields">
    {#each fields as field (field.key)}
      <FormField {session} {field} {row} prefix="line" />
    {/each}
  </div>
  {#each inside as section (section.key)}
    <div class="mt-5">
      <GridSection {session} {section} within={row} prefix="line" />
    </div>
  {/each}
</div>
<div class="foot h-14 shrink-0">
  <Button onclick={onclose}>Done</Button>
  <span class="quiet">Saved together with the form.</span>
  <span class="ms-auto flex gap-4">
    <Button kind="link" disabled={at <= 0} onclick={() => turn(-1)}>Previous line</Button>
    <Button kind="link" disabled={at === -1 || at >= lines.length - 1} onclick={() => turn(1)}
      >Next line</Button
    >
  </span>
</div>
