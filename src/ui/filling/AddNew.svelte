<script lang="ts">
  import { blankAnswer, valuesAnswer } from '$lib/core/contract/answers';
  import { Button, Spinner } from '$lib/ui/parts';
  import { onDestroy, onMount, tick } from 'svelte';
  import { firstControl } from '$lib/ui/shared/focus';
  import type { Choice } from '$lib/core/entry/asks';
  import { shownPaths } from '$lib/core/plan/held';
  import type { TableChoices } from '$lib/core/plan/choices';
  import { tablesWith } from '$lib/core/table/sources';
  import type { Table } from '$lib/core/table/definition';
  import { idsOf, type Value } from '$lib/core/values/types';
  import type { WiredField } from '$lib/core/wiring/wired';
  import { formulasReady } from '$lib/ui/shared/formulas';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import NewRecord from '$lib/ui/tables/NewRecord.svelte';
  import { Filling } from './filling.svelte';
  import FormBody from './FormBody.svelte';
  import type { EntrySession, Panel } from './session.svelte';

  interface Props {
    session: EntrySession;
    panel: Extract<Panel, { key: string }>;
    wired: WiredField;
    choices: TableChoices;
    table: Table;
    onclose: () => void;
  }
  let { session, panel, wired, choices, table, onclose }: Props = $props();

  const form = $derived(session.forms.find((candidate) => candidate.table === table.key));
  /** What the narrowings of the list ask for, so that the new record is offered there. */
  const given = $derived(session.narrowedTo(wired.field.key, panel.row));
  /** What was typed into the field begins the column by which the records are shown, where that takes text. */
  const begun = $derived.by((): Record<string, Value> => {
    const text = panel.text?.trim() ?? '';
    const [path = ''] = shownPaths(choices, session.tables);
    const column = table.columns.find(({ key }) => key === (choices.typedBy ?? path));
    if (text === '' || !column || column.key in given.values) return {};
    return ['text', 'long_text'].includes(column.type.kind) ? { [column.key]: text } : {};
  });
  let filling = $state.raw<Filling | null>(null);
  let failed = $state(false);

  onMount(async () => {
    if (!form) return;
    const carried = new URLSearchParams(
      Object.entries(given.values).map(([column, value]) => [`with.${column}`, String(value)]),
    );
    const read = await call(blankAnswer, `/api/forms/${form.key}/new?${carried}`);
    failed = !read.ok;
    if (!read.ok) return;
    const { person } = session;
    const { sources, ...blank } = read.value;
    await formulasReady(blank.plan, null);
    const tables = tablesWith(sources);
    const link = Object.fromEntries(carried);
    const opened = { opened: null, person, tables, link, keeps: false, formKey: form.key };
    filling = new Filling({ ...opened, ...blank });
    await filling.start(null);
    for (const { field } of filling.form.fields.values()) {
      const text = field.savesTo === null ? undefined : begun[field.savesTo];
      if (text !== undefined) filling.session.type(field.key, String(text));
    }
    await tick();
    if (body) firstControl(body)?.focus();
  });
  onDestroy(() => filling?.close());

  let body = $state<HTMLDivElement>();

  async function save() {
    if (!filling || filling.saving) return;
    await filling.save();
    const made = filling.receipt?.records.find((record) => record.table === table.key);
    if (made) await choose(made.id);
  }

  /** Chooses the record that was just made; the rest of the form is untouched. */
  async function choose(id: number) {
    const { key } = wired.field;
    const { stores } = choices;
    let value: Value = id;
    let choice: Choice | null = null;
    if (stores.kind === 'copy') {
      const read = await call(valuesAnswer, `/api/tables/${table.key}/records/${id}`);
      value = read.ok ? (read.value.values[stores.column] ?? null) : null;
    }
    const ids = idsOf(session.cell(key, panel.row).value);
    if (wired.type.kind === 'references') {
      value = [...ids, id].toSorted((a, b) => a - b);
      choice = { value: id, shown: shownPaths(choices, session.tables).map(() => null) };
      choice = await named(id, choice);
    }
    session.set(key, value, choice, panel.row);
    onclose();
  }

  /** How the new record is shown in the list. */
  async function named(id: number, fallback: Choice): Promise<Choice> {
    const offer = await session.list(wired.field.key, '', undefined, panel.row);
    if ('code' in offer) return fallback;
    return offer.choices.find((choice) => choice.value === id) ?? fallback;
  }

  function onkeydown(event: KeyboardEvent) {
    if (!event.ctrlKey || event.key !== 'Enter') return;
    event.preventDefault();
    void save();
  }
</script>

<!-- svelte-ignore a11y_no_static_element_interactions -->
<div class="min-h-0 flex-1 overflow-auto px-5 py-4" bind:this={body} {onkeydown}>
  {#if !form || failed}
    <NewRecord
      {table}
      tables={session.tables}
      given={{ ...begun, ...given.values }}
      givenShown={given.shown}
      prefix="new"
      onadded={({ id }) => choose(id)}
    />
  {:else if filling?.ready}
    <div class="mb-3 grid gap-2 empty:hidden">
      <Problems problems={filling.problems()} />
    </div>
    <FormBody session={filling.session} prefix="new" mostColumns={2} nested />
    <Button onclick={save} loading={filling.saving}>
      Save and choose it <span class="ms-2 font-normal opacity-70">Ctrl ↵</span>
    </Button>
  {:else}
    <Spinner size="5" />
  {/if}
</div>
