<script lang="ts">
  import { say } from '$lib/core/words/say';
  import type { Choice, Offer } from '$lib/core/entry/asks';
  import type { Row } from '$lib/core/entry/entry';
  import { shownPaths } from '$lib/core/plan/held';
  import { type Field } from '$lib/core/plan/schema';
  import { ratingScale } from '$lib/core/plan/asked-plan';
  import { tableChoices } from '$lib/core/plan/choices';
  import { resolvePath, shortLabel } from '$lib/core/table/paths';
  import { filesIn, plainText, rowsIn, type ValueType } from '$lib/core/values/types';
  import { focusable } from '$lib/ui/shared/focus';
  import FilesBox from '$lib/ui/shared/FilesBox.svelte';
  import RowsBox from '$lib/ui/shared/RowsBox.svelte';
  import ValueInput from '$lib/ui/shared/ValueInput.svelte';
  import KeyBox from './KeyBox.svelte';
  import LookupBox from './LookupBox.svelte';
  import MembersBox from './MembersBox.svelte';
  import type { EntrySession } from './session.svelte';

  interface Props {
    session: EntrySession;
    field: Field;
    /** The row of a grid in which the field stands. */
    row?: Row | undefined;
    id: string;
    /** The control's name, where no label stands beside it. */
    label?: string;
    describedby?: string;
    /** Told when a choice was taken from a list. */
    onchosen?: () => void;
  }
  let { session, field, row, id, label, describedby, onchosen }: Props = $props();

  const choices = $derived(tableChoices(field));
  const source = $derived(choices ? session.tables.get(choices.table) : undefined);
  const state = $derived(session.choices(field.key, row));
  /** Read anew at each change: the cell itself stays one object as long as the entry lives. */
  const value = $derived(session.cell(field.key, row).value);
  const closed = $derived(session.closed(field.key, row));
  const required = $derived(field.required || session.cell(field.key, row).required);
  /** What a list has chosen now. */
  const chosen = $derived(typeof value === 'string' || typeof value === 'number' ? value : null);
  const invalid = $derived(session.problems.at(field.key, row) !== null);
  const waits = $derived(
    state.status === 'waiting' ? session.words.labelNamed(state.for, row) : null,
  );
  const query = $derived(
    field.choices?.kind === 'outside' ? session.tables.queries.get(field.choices.query) : undefined,
  );
  const outsideColumns = $derived(
    field.choices?.kind === 'outside'
      ? field.choices.shown.flatMap((key) => query?.columns.find((c) => c.key === key) ?? [])
      : [],
  );
  const columns = $derived(
    choices && source
      ? shownPaths(choices, session.tables).map((path) => {
          const label = shortLabel(session.tables, source, path);
          const resolved = resolvePath(session.tables, source, path);
          return { label, type: resolved?.column.type ?? plainText };
        })
      : [],
  );
  const options = $derived(session.options(field.key, row));
  /** What a simple input edits: choices that the plan itself lists are offered like options. */
  const scale = $derived(ratingScale(field.asked?.question));
  const type = $derived.by((): ValueType => {
    if (scale) return { kind: 'option', options: scale };
    if (field.choices?.kind === 'values') return { kind: 'option', options: field.choices.values };
    if (field.choices?.kind === 'columns') {
      const options = field.choices.paths.map((path) => {
        return { value: path, label: session.words.column(field.key, path, row) };
      });
      return { kind: 'option', options };
    }
    const held = session.typeOf(field.key, row) ?? plainText;
    return options && held.kind === 'option' ? { ...held, options: [...options] } : held;
  });
  /** A list that is longer than this is searched, not looked through. */
  const longList = 12;
  const local = $derived(
    options && options.length > longList && field.choices?.kind !== 'values' ? options : null,
  );

  /** The options that what is typed begins words of, as a list from the server would give them. */
  async function listOptions(search: string): Promise<Offer> {
    const words = search.toLowerCase().split(/\s+/);
    const found = (local ?? []).filter(({ label }) => {
      const parts = label.toLowerCase().split(/[\s/]+/);
      return words.every((word) => parts.some((part) => part.startsWith(word)));
    });
    const choices = found.slice(0, 200).map(({ value, label }) => ({ value, shown: [label] }));
    const base = { id: '', choices, found: found.length, more: false };
    return { ...base, next: null, current: null };
  }

  const place = $derived({ key: field.key, ...(row ? { row } : {}) });
  const pick = (text: string) => session.openPanel({ kind: 'pick', ...place, text });
  const add = $derived(
    session.canAdd(field.key, row) && waits === null
      ? (text: string) => session.openPanel({ kind: 'add', ...place, text })
      : undefined,
  );
  /** What was typed names nothing in the list: it stays, marked, and stops the save. */
  const ontext = (text: string) => {
    touch();
    session.type(field.key, text, row);
  };
  /** What all boxes of a list have in common. */
  const lookup = $derived({
    id,
    label: label ?? field.label,
    named: label !== undefined,
    shown: session.rejectedText(field.key, row) ?? session.words.shown(field.key, row),
    current: chosen,
    required,
    placeholder: waits ? say(`choose ${waits} first`) : '',
    disabled: closed || (waits !== null && value === null),
    invalid,
    describedby,
  });

  /** Takes a choice of the list; `known` is what is known of it, where it is more than its value. */
  function take(choice: Choice | null, known = choice) {
    touch();
    session.set(field.key, choice?.value ?? null, known, row);
    onchosen?.();
  }

  const touch = () => session.problems.touched.add(session.path(field.key, row));
  const list = (search: string, after?: string, signal?: AbortSignal) =>
    session.list(field.key, search, after, row, undefined, signal);
</script>

<div class="contents" {@attach focusable(session.path(field.key, row))}>
  {#if choices?.typedBy}
    <KeyBox
      {id}
      {label}
      text={session.rejectedText(field.key, row)}
      chosen={session.cell(field.key, row).current}
      place={shownPaths(choices, session.tables).indexOf(choices.typedBy)}
      {invalid}
      disabled={closed}
      {describedby}
      ontext={(text) => session.type(field.key, text, row)}
    />
  {:else if choices && type.kind === 'references'}
    <MembersBox
      {id}
      label={label ?? field.label}
      members={session.words.members(field.key, row)}
      {columns}
      placeholder={waits ? say(`choose ${waits} first`) : ''}
      disabled={closed || waits !== null}
      {invalid}
      {describedby}
      {list}
      why={(offer) => session.words.whyEmpty(field.key, offer, row)}
      onpick={pick}
      onadd={add}
      onchange={(ids, added) => {
        touch();
        const sorted = ids.length > 0 ? ids.toSorted((a, b) => a - b) : null;
        session.set(field.key, sorted, added, row);
      }}
    />
  {:else if type.kind === 'rows'}
    <RowsBox
      {id}
      label={label ?? field.label}
      columns={type.columns}
      rows={rowsIn(value)}
      disabled={closed}
      {describedby}
      onvalue={(rows) => session.set(field.key, rows, null, row)}
    />
  {:else if type.kind === 'files'}
    <FilesBox
      {id}
      label={label ?? field.label}
      {type}
      files={filesIn(value)}
      narrow={label !== undefined}
      path={session.path(field.key, row)}
      disabled={closed}
      {invalid}
      {describedby}
      onvalue={(files) => {
        touch();
        session.set(field.key, files, null, row);
      }}
    />
  {:else if choices}
    <LookupBox
      {...lookup}
      {columns}
      {list}
      why={(offer) => session.words.whyEmpty(field.key, offer, row)}
      onpick={pick}
      onadd={add}
      {ontext}
      onchoose={(choice) => take(choice)}
    />
  {:else if field.choices?.kind === 'outside'}
    <LookupBox
      {...lookup}
      columns={outsideColumns}
      {list}
      ontext={(text) => {
        touch();
        session.reject(field.key, text, row);
      }}
      onchoose={(choice) => take(choice)}
    />
  {:else if local}
    <LookupBox
      {...lookup}
      columns={[{ label: field.label, type: plainText }]}
      list={listOptions}
      {ontext}
      onchoose={(choice) => take(choice, null)}
    />
  {:else}
    <ValueInput
      {id}
      {required}
      {type}
      control={scale ? 'radio' : label === undefined ? field.control : 'box'}
      {label}
      value={scale && value !== null ? String(value) : value}
      rejected={session.rejectedText(field.key, row)}
      {invalid}
      disabled={closed || (waits !== null && value === null)}
      {describedby}
      placeholder={waits ? say(`choose ${waits} first`) : '–'}
      onvalue={(chosen) =>
        session.set(field.key, scale && chosen !== null ? Number(chosen) : chosen, null, row)}
      ontext={(text) => session.type(field.key, text, row)}
      onleave={touch}
    />
  {/if}
</div>
