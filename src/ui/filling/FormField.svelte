<script lang="ts">
  import { shownPaths } from '$lib/core/plan/held';
  import { tableChoices, type Field } from '$lib/core/plan/schema';
  import { resolvePath } from '$lib/core/table/paths';
  import { plainText, type ValueType } from '$lib/core/values/types';
  import ValueInput from '$lib/ui/shared/ValueInput.svelte';
  import LookupBox from './LookupBox.svelte';
  import type { EntrySession } from './session.svelte';

  interface Props {
    session: EntrySession;
    field: Field;
    /** Put before the field's id, where two forms are on one page. */
    prefix?: string;
  }
  let { session, field, prefix = 'f' }: Props = $props();

  const id = $derived(`${prefix}-${field.key}`);
  const choices = $derived(tableChoices(field));
  const source = $derived(choices ? session.tables.get(choices.table) : undefined);
  const state = $derived(session.choices(field.key));
  const found = $derived(session.problemAt(field.key));
  const columns = $derived(
    choices && source
      ? shownPaths(choices, session.tables).map((path) => {
          const resolved = resolvePath(session.tables, source, path);
          const last = resolved?.steps.at(-1);
          const label = last ? last.column.label : (resolved?.column.label ?? path);
          return { label, type: resolved?.column.type ?? plainText };
        })
      : [],
  );
  /** What a simple input edits: typed-in choices are offered like the options of a column. */
  const type = $derived.by((): ValueType => {
    if (field.choices?.kind === 'values') return { kind: 'option', options: field.choices.values };
    return session.typeOf(field.key) ?? plainText;
  });
  const waits = $derived(state.status === 'waiting' ? session.label(state.for) : null);
  const told = $derived.by(() => {
    if (state.status === 'offered' && (choices?.narrowings.length ?? 0) > 0) {
      const { found, more } = state.offer;
      return `${more ? 'more than ' : ''}${found.toLocaleString()} offered`;
    }
    return field.required ? 'required' : '';
  });
</script>

<div data-field={field.key}>
  <div class="mb-1 flex items-baseline justify-between gap-2">
    <label class="font-semibold" for={id}>{field.label}</label>
    <span class="quiet shrink-0">{told}</span>
  </div>
  {#if choices}
    <LookupBox
      {id}
      label={field.label}
      shown={session.shown(field.key)}
      {columns}
      placeholder={waits ? `choose ${waits} first` : ''}
      disabled={waits !== null && session.entry.value(field.key) === null}
      invalid={found !== null}
      describedby="{id}-note"
      list={(search, after) => session.list(field.key, search, after)}
      why={(offer) => session.whyEmpty(field.key, offer)}
      onchoose={(choice) => {
        session.touched.add(field.key);
        session.set(field.key, choice?.value ?? null, choice);
      }}
    />
  {:else}
    <ValueInput
      {id}
      {type}
      value={session.entry.value(field.key)}
      rejected={session.entry.rejectedText(field.key)}
      invalid={found !== null}
      describedby="{id}-note"
      onvalue={(value) => session.set(field.key, value)}
      ontext={(text) => session.type(field.key, text)}
      onleave={() => session.touched.add(field.key)}
    />
  {/if}
  <div id="{id}-note" class="quiet mt-0.5">
    {#if found}
      <span class="text-crimson">{found.message}</span>
      {found.hint}
    {:else if state.status === 'empty'}
      {#each session.whyEmpty(field.key, state.offer) as line (line)}<div>{line}</div>{/each}
    {:else if state.status === 'failed'}
      <span class="text-crimson">{state.problem.message}</span>
      <button type="button" class="textlink" onclick={() => session.retry()}>Ask again</button>
    {:else if field.help}
      {field.help}
    {/if}
  </div>
</div>
