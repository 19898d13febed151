<script lang="ts">
  import { valueSource } from '$lib/core/plan/source';
  import type { Row } from '$lib/core/entry/entry';
  import { isAmount } from '$lib/core/values/types';
  import { type Field } from '$lib/core/plan/schema';
  import { tableChoices } from '$lib/core/plan/choices';
  import { locale } from '$lib/ui/shared/locale';
  import { agoWords } from '$lib/ui/shared/times';
  import FieldInput from './FieldInput.svelte';
  import type { EntrySession } from './session.svelte';

  interface Props {
    session: EntrySession;
    field: Field;
    /** The line in which the field stands, where it is opened by itself. */
    row?: Row | undefined;
    /** Put before the field's id, where two forms are on one page. */
    prefix?: string;
  }
  let { session, field, row, prefix = 'f' }: Props = $props();

  const id = $derived(`${prefix}-${field.key}`);
  const choices = $derived(tableChoices(field));
  const state = $derived(session.choices(field.key, row));
  /** Made anew at each change: the cell itself stays one object as long as the entry lives. */
  const cell = $derived.by(() => {
    const { value, derived, locked, required, unsure, waitsFor, readAt } = session.entry.cell(
      field.key,
      row,
    );
    return { value, derived, locked, required, unsure, waitsFor, readAt };
  });
  const closed = $derived(session.closed(field.key, row));
  const found = $derived(session.problemAt(field.key, row));
  const outside = $derived(session.failedOutside(field.key, row));
  const brought = $derived(session.brought(field.key, row));
  const numeric = $derived(isAmount(session.typeOf(field.key, row)));
  /** Where the value comes from, where nobody types it. */
  const origin = $derived.by(() => {
    const wired = session.wired(field.key, row);
    if (field.computes !== null) return 'computed';
    if (valueSource(field)) {
      if (cell.waitsFor) return `waits for ${session.labelNamed(cell.waitsFor, row)}`;
      if (field.rollup) return 'rolled up';
      if (cell.unsure) return 'is being asked outside';
      return cell.readAt === null ? 'read outside' : `read outside ${agoWords(cell.readAt)}`;
    }
    return wired?.broughtBy ? `from ${wired.broughtBy.from.field.label}` : '';
  });
  const told = $derived.by(() => {
    if (cell.locked) return 'locked';
    if (state.status === 'offered' && (choices?.narrowings.length ?? 0) > 0) {
      const { found, more } = state.offer;
      return `${more ? 'more than ' : ''}${found.toLocaleString(locale())} offered`;
    }
    return field.required || cell.required ? 'required' : origin;
  });
</script>

<div data-field={session.path(field.key, row)} class:unsure={cell.unsure}>
  <div class="mb-1 flex items-baseline justify-between gap-2">
    {#if cell.derived}
      <span class="font-semibold" id="{id}-label">{field.label}</span>
    {:else}
      <label class="font-semibold" for={id}>{field.label}</label>
    {/if}
    <span class="quiet shrink-0">{told}</span>
  </div>
  {#if cell.derived || (field.shows === 'line' && closed)}
    <output
      {id}
      class={field.shows === 'line' ? 'line' : `filled ${numeric ? 'text-right' : ''}`}
      aria-labelledby="{id}-label"
      aria-describedby="{id}-note">{session.shown(field.key, row) || '–'}</output
    >
  {:else}
    <FieldInput {session} {field} {row} {id} describedby="{id}-note" />
  {/if}
  <div id="{id}-note" class="quiet mt-0.5">
    {#if found}
      <span class="text-crimson">{found.message}</span>
      {found.hint}
      {#if found.code === 'read_failed' || outside}
        <button type="button" class="textlink" onclick={() => session.retry()}>Ask again</button>
      {/if}
    {:else if state.status === 'empty'}
      {#each session.whyEmpty(field.key, state.offer, row) as line (line)}<div>{line}</div>{/each}
    {:else if outside}
      <span class="text-crimson">{outside.message}</span>
      {outside.hint}
      <button type="button" class="textlink" onclick={() => session.retry()}>Ask again</button>
    {:else if state.status === 'failed'}
      <span class="text-crimson">{state.problem.message}</span>
      <button type="button" class="textlink" onclick={() => session.retry()}>Ask again</button>
    {:else if choices?.typedBy && cell.value !== null}
      <span class="text-ink">{session.shown(field.key, row)}</span>
    {:else if field.help && brought.length === 0}
      {field.help}
    {/if}
    {#if brought.length > 0}
      <dl class="brought">
        {#each brought as { path, label, shown, sure } (path)}
          <div class:unsure={!sure}>
            <dt>{label}</dt>
            <dd>{shown}</dd>
          </div>
        {/each}
      </dl>
    {/if}
  </div>
</div>

<style>
  .filled,
  .line {
    display: block;
    min-height: 32px;
    padding: 5px 8px;
    font-variant-numeric: tabular-nums;
    overflow-wrap: anywhere;
  }
  .filled {
    border: 1px dashed var(--line);
    border-radius: 4px;
    background: var(--paper);
  }
  .line {
    padding-left: 0;
  }
  .unsure output,
  .brought .unsure {
    opacity: 0.55;
  }
  .brought {
    display: flex;
    flex-wrap: wrap;
    gap: 0 12px;
  }
  .brought dt,
  .brought dd {
    display: inline;
  }
  .brought dd {
    color: var(--ink);
  }
</style>
