<script lang="ts">
  import { foundWords } from '$lib/core/words/about';
  import { say } from '$lib/core/words/say';
  import { Button } from '$lib/ui/parts';
  import { valueSource } from '$lib/core/plan/source';
  import type { Row } from '$lib/core/entry/entry';
  import { isAmount } from '$lib/core/values/types';
  import { type Field } from '$lib/core/plan/schema';
  import { tableChoices } from '$lib/core/plan/choices';
  import { focusable } from '$lib/ui/shared/focus';
  import { ago } from '$lib/ui/shared/ago';
  import FieldInput from './FieldInput.svelte';
  import type { EntrySession } from './session.svelte';

  interface Props {
    session: EntrySession;
    field: Field;
    /** The line in which the field stands, where it is opened by itself. */
    row?: Row | undefined;
    /** Put before the field's id, where two forms are on one page. */
    prefix?: string;
    /** Whether what its record brings is told beside the form where there is room. */
    facts?: boolean;
  }
  let { session, field, row, prefix = 'f', facts = false }: Props = $props();

  const id = $derived(`${prefix}-${field.key}`);
  const choices = $derived(tableChoices(field));
  const state = $derived(session.choices(field.key, row));
  /** Made anew at each change: the cell itself stays one object as long as the entry lives. */
  const cell = $derived.by(() => {
    const { value, derived, locked, required, unsure, waitsFor, readAt } = session.cell(
      field.key,
      row,
    );
    return { value, derived, locked, required, unsure, waitsFor, readAt };
  });
  const closed = $derived(session.closed(field.key, row));
  const found = $derived(session.problems.at(field.key, row));
  const outside = $derived(session.problems.outside(field.key, row));
  const brought = $derived(session.words.brought(field.key, row));
  const numeric = $derived(isAmount(session.typeOf(field.key, row)));
  /** Where the value comes from, where nobody types it. */
  const origin = $derived.by(() => {
    const wired = session.wired(field.key, row);
    if (field.computes !== null) return say('computed');
    if (valueSource(field)) {
      if (cell.waitsFor) return say(`waits for ${session.words.labelNamed(cell.waitsFor, row)}`);
      if (field.rollup) return say('totalled');
      if (cell.unsure) return say('loading from outside');
      return cell.readAt === null ? say('from outside') : say(`from outside ${ago(cell.readAt)}`);
    }
    return wired?.broughtBy ? say(`from ${wired.broughtBy.from.field.label}`) : '';
  });
  const told = $derived.by(() => {
    if (cell.locked) return say('locked');
    if (state.status === 'offered' && (choices?.narrowings.length ?? 0) > 0) {
      const { found, more } = state.offer;
      return say(`${foundWords(found, more)} offered`);
    }
    return field.required || cell.required ? say('required') : origin;
  });
</script>

<div data-field={session.path(field.key, row)} class={cell.unsure ? '[&_output]:opacity-55' : ''}>
  <div class="mb-1 flex items-baseline justify-between gap-2">
    {#if cell.derived}
      <span class="font-semibold" id="{id}-label">{field.label}</span>
    {:else}
      <label class="font-semibold" id="{id}-label" for={id}>{field.label}</label>
    {/if}
    <span class="quiet shrink-0 print:hidden" id="{id}-told">{told}</span>
  </div>
  {#if cell.derived || (field.shows === 'line' && closed)}
    <output
      {id}
      tabindex="-1"
      {@attach focusable(session.path(field.key, row))}
      class={[
        'block min-h-8 py-[5px] tabular-nums wrap-anywhere',
        field.shows === 'line' ? 'pe-2' : 'rounded border border-dashed border-line bg-paper px-2',
        field.shows !== 'line' && numeric && 'text-end',
      ]}
      aria-labelledby="{id}-label"
      aria-describedby="{id}-told {id}-note">{session.words.shown(field.key, row) || '–'}</output
    >
  {:else}
    <FieldInput {session} {field} {row} {id} describedby="{id}-told {id}-note" />
  {/if}
  <div id="{id}-note" class="quiet mt-0.5">
    {#if found}
      <span class="text-crimson">{found.message}</span>
      {found.hint}
      {#if found.code === 'read_failed' || outside}
        <Button kind="link" onclick={() => session.retry()}>Try again</Button>
      {/if}
    {:else if state.status === 'empty'}
      {#each session.words.whyEmpty(field.key, state.offer, row) as line (line)}<div>
          {line}
        </div>{/each}
    {:else if outside}
      <span class="text-crimson">{outside.message}</span>
      {outside.hint}
      <Button kind="link" onclick={() => session.retry()}>Try again</Button>
    {:else if state.status === 'failed'}
      <span class="text-crimson">{state.problem.message}</span>
      <Button kind="link" onclick={() => session.retry()}>Try again</Button>
    {:else if choices?.typedBy && cell.value !== null}
      <span class="text-ink">{session.words.shown(field.key, row)}</span>
    {:else if field.help && brought.length === 0}
      {field.help}
    {/if}
    {#if brought.length > 0}
      <dl class={['flex flex-wrap gap-x-3', facts && 'lg:hidden']}>
        {#each brought as { path, label, shown, sure } (path)}
          <div class={sure ? '' : 'opacity-55'}>
            <dt class="inline">{label}</dt>
            <dd class="inline text-ink">{shown}</dd>
          </div>
        {/each}
      </dl>
    {/if}
  </div>
</div>
