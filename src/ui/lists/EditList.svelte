<script lang="ts">
  import { num, say } from '$lib/core/words/say';
  import { reader } from '$lib/core/words/reader';
  import { nothingWanted } from '$lib/core/contract/answers';
  import { goto, invalidateAll } from '$app/navigation';
  import {
    Button,
    Checkbox,
    FileInput,
    Input,
    Modal,
    Select,
    Ledger,
    Textarea,
  } from '$lib/ui/parts';
  import Papa from 'papaparse';
  import { untrack } from 'svelte';
  import type { Problem } from '$lib/core/problems';
  import { mergedValues, type OptionList } from '$lib/core/table/option-list';
  import { formatValue } from '$lib/core/values/format';
  import { optionTones, type Option } from '$lib/core/values/types';
  import { call } from '$lib/ui/shared/api';
  import { focusable, goTo } from '$lib/ui/shared/focus';
  import { watchUnsaved } from '$lib/ui/shared/unsaved';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import { rowsOfText } from './pasted';

  interface Props {
    list: OptionList & { revision: number; by: string; at: string };
    lists: readonly OptionList[];
    uses: readonly { where: string; href: string; records: number; counts: [string, number][] }[];
  }
  let { list, lists, uses }: Props = $props();

  /** What was stored before keeps what it stores: records have it. */
  const stored = untrack(() => new Set(list.values.map(({ value }) => value)));
  let edited = $state(untrack(() => structuredClone($state.snapshot(list)) as OptionList));
  let problems = $state.raw<Problem[]>([]);
  let busy = $state(false);
  let told = $state('');
  let pasting = $state(false);
  let removing = $state(false);
  let text = $state('');

  const unsaved = watchUnsaved(() => bodyOf(edited));
  const changed = $derived(JSON.stringify(bodyOf(edited)) !== JSON.stringify(bodyOf(list)));
  const around = $derived(lists.find(({ key }) => key === edited.of));
  const counts = $derived.by(() => {
    const sums: Record<string, number> = {};
    for (const use of uses)
      for (const [value, n] of use.counts) sums[value] = (sums[value] ?? 0) + n;
    return sums;
  });
  const badAt = $derived(new Set(problems.map(({ path }) => path)));

  function bodyOf({ title, category, note, of, values }: OptionList) {
    return { title, category, note, of, values };
  }

  async function keep() {
    busy = true;
    told = '';
    const values = edited.values
      .map((option) => ({ ...option, value: option.value || option.label.trim() }))
      .filter(({ label }) => label.trim() !== '');
    const body = {
      ...bodyOf($state.snapshot(edited) as OptionList),
      values,
      revision: list.revision,
    };
    const called = await call(nothingWanted, `/api/lists/${list.key}`, { method: 'PUT', body });
    busy = false;
    problems = called.ok ? [] : called.problems;
    if (!called.ok) return;
    unsaved.settled();
    await invalidateAll();
  }

  async function remove() {
    const called = await call(nothingWanted, `/api/lists/${list.key}`, { method: 'DELETE' });
    removing = false;
    problems = called.ok ? [] : called.problems;
    if (!called.ok) return;
    unsaved.settled();
    await goto('/lists');
  }

  function takeText(given: string) {
    const before = edited.values.length;
    edited.values = mergedValues($state.snapshot(edited) as OptionList, rowsOfText(given));
    const added = edited.values.length - before;
    told = say(`${added} added; check them, then save the list.`);
    [pasting, text] = [false, ''];
  }

  async function takeFile(event: Event & { currentTarget: HTMLInputElement }) {
    const file = event.currentTarget.files?.[0];
    event.currentTarget.value = '';
    if (file) takeText(await file.text());
  }

  function download() {
    const rows = edited.values.map(({ label, value, of = '', tone = '', retired }) => ({
      label,
      value,
      of,
      tone,
      retired: retired ? 'yes' : '',
    }));
    const href = URL.createObjectURL(new Blob([Papa.unparse(rows)], { type: 'text/csv' }));
    const link = Object.assign(document.createElement('a'), { href, download: `${list.key}.csv` });
    link.click();
    URL.revokeObjectURL(href);
  }

  function set(i: number, change: Partial<Option>) {
    const option = { ...edited.values[i], ...change } as Option;
    for (const key of ['tone', 'retired', 'of'] as const) if (!option[key]) delete option[key];
    edited.values[i] = option;
  }

  function move(from: number, by: -1 | 1) {
    const to = from + by;
    if (to < 0 || to >= edited.values.length) return;
    const [option] = edited.values.splice(from, 1);
    if (option) edited.values.splice(to, 0, option);
  }

  function onkeydown(event: KeyboardEvent, i: number) {
    if (event.altKey && (event.key === 'ArrowUp' || event.key === 'ArrowDown')) {
      event.preventDefault();
      const by = event.key === 'ArrowUp' ? -1 : 1;
      move(i, by);
      goTo(`label ${i + by}`);
    } else if (event.key === 'Enter') {
      event.preventDefault();
      edited.values.splice(i + 1, 0, { value: '', label: '' });
      goTo(`label ${i + 1}`);
    }
  }

  function onwindowkey(event: KeyboardEvent) {
    if (!event.ctrlKey || event.key.toLowerCase() !== 's') return;
    event.preventDefault();
    if (changed && !busy) void keep();
  }
</script>

<svelte:window onkeydown={onwindowkey} />

<div class="flex h-full flex-col">
  <div class="min-h-0 flex-1 overflow-auto">
    <div class="headline">
      <h1>{list.title}</h1>
      <span class="quiet">
        option list {list.key} · changed {formatValue({ kind: 'date_time' }, list.at, reader())} by {list.by}
      </span>
      <span class="ms-auto flex gap-2">
        <Button kind="other" onclick={() => (pasting = true)}>Paste values</Button>
        <label
          class="inline-flex cursor-pointer items-center whitespace-nowrap rounded border border-line bg-sheet px-3 text-[13px] font-semibold focus-within:outline-2 focus-within:outline-marigold"
        >
          Import a CSV file
          <FileInput class="sr-only" accept=".csv,text/csv,text/plain" onchange={takeFile} />
        </label>
        <Button kind="other" onclick={download}>Save as CSV</Button>
      </span>
    </div>
    <div class="grid gap-6 px-5 pb-5 lg:grid-cols-[minmax(0,1fr)_300px]">
      <div class="grid content-start gap-3">
        <Problems {problems} />
        {#if told}<p class="quiet m-0" role="status">{told}</p>{/if}
        <Ledger class="border-line border">
          <thead>
            <tr>
              <th class="num">No.</th><th>Label</th><th>Stored</th>
              {#if edited.of !== null}<th>Belongs to</th>{/if}
              <th>Tone</th><th>Retired</th><th class="num">Records</th>
              <th><span class="sr-only">Steps</span></th>
            </tr>
          </thead>
          <tbody>
            {#each edited.values as option, i (i)}
              {@const bad = badAt.has(`values[${i}]`)}
              <tr class:opacity-60={option.retired}>
                <td class="num text-soft">{i + 1}</td>
                <td>
                  <Input
                    {@attach focusable(`label ${i}`)}
                    aria-label="Label {i + 1}"
                    aria-invalid={bad}
                    maxlength={200}
                    value={option.label}
                    oninput={(event) => set(i, { label: event.currentTarget.value })}
                    onkeydown={(event) => onkeydown(event, i)}
                  />
                </td>
                <td>
                  {#if stored.has(option.value) && option.value !== ''}
                    <span class="text-soft">{option.value}</span>
                  {:else}
                    <Input
                      aria-label="Stored {i + 1}"
                      placeholder={option.label}
                      maxlength={100}
                      value={option.value}
                      onchange={(event) => set(i, { value: event.currentTarget.value.trim() })}
                    />
                  {/if}
                </td>
                {#if edited.of !== null}
                  <td>
                    <Select
                      aria-label="{option.label} belongs to"
                      value={option.of ?? ''}
                      onchange={({ currentTarget: { value: of } }) => set(i, { of })}
                    >
                      <option value="">nothing</option>
                      {#each around?.values ?? [] as other (other.value)}
                        <option value={other.value}>{other.label}</option>
                      {/each}
                    </Select>
                  </td>
                {/if}
                <td>
                  <Select
                    class="w-auto!"
                    aria-label="Tone of {option.label}"
                    value={option.tone ?? ''}
                    onchange={(event) =>
                      set(i, { tone: (event.currentTarget.value || undefined) as Option['tone'] })}
                  >
                    <option value="">–</option>
                    {#each optionTones as tone (tone)}<option value={tone}>{tone}</option>{/each}
                  </Select>
                </td>
                <td>
                  <Checkbox
                    aria-label="{option.label} is retired"
                    checked={option.retired === true}
                    onchange={(event) => set(i, { retired: event.currentTarget.checked })}
                  />
                </td>
                <td class="num text-soft"
                  >{(counts[option.value] ?? 0) === 0 ? '–' : num(counts[option.value] ?? 0)}</td
                >
                <td class="text-right whitespace-nowrap">
                  <Button
                    kind="link"
                    disabled={i === 0}
                    aria-label="Move {option.label} up"
                    onclick={() => move(i, -1)}>↑</Button
                  >
                  <Button
                    kind="link"
                    class="ms-2"
                    aria-label="Remove {option.label}"
                    onclick={() => edited.values.splice(i, 1)}>Remove</Button
                  >
                </td>
              </tr>
            {:else}
              <tr><td colspan="8" class="text-soft">No values yet. Add one, or paste some.</td></tr>
            {/each}
          </tbody>
        </Ledger>
        <div>
          <Button
            kind="link"
            onclick={() => {
              edited.values.push({ value: '', label: '' });
              goTo(`label ${edited.values.length - 1}`);
            }}>+ a value</Button
          >
        </div>
      </div>
      <aside class="grid content-start gap-3">
        <label class="grid gap-1 font-semibold">
          Title <Input class="font-normal" bind:value={edited.title} maxlength={200} />
        </label>
        <label class="grid gap-1 font-semibold">
          Category
          <Input class="font-normal" bind:value={edited.category} maxlength={100} />
        </label>
        <label class="grid gap-1 font-semibold">
          Note
          <Textarea class="h-16! font-normal" bind:value={edited.note} maxlength={1000}></Textarea>
        </label>
        <label class="grid gap-1 font-semibold">
          <span>Each value belongs to one of</span>
          <Select
            class="font-normal"
            value={edited.of ?? ''}
            onchange={({ currentTarget: { value } }) => (edited.of = value || null)}
          >
            <option value="">no other list</option>
            {#each lists.filter((other) => other.key !== list.key) as other (other.key)}
              <option value={other.key}>{other.title}</option>
            {/each}
          </Select>
        </label>
        <h2 class="mt-3">Where it is used</h2>
        {#if uses.length === 0}
          <p class="quiet m-0">
            Nowhere yet. Use it for a column on the table’s page, or for a field in the plan sheet.
          </p>
        {:else}
          <ul class="m-0 list-none p-0">
            {#each uses as use (use.where)}
              <li class="border-line-soft flex justify-between gap-3 border-b py-1">
                <a class="ref" href={use.href}>{use.where}</a>
                {#if use.records > 0}
                  <span class="text-soft whitespace-nowrap">{num(use.records)} records</span>
                {/if}
              </li>
            {/each}
          </ul>
        {/if}
        <div>
          <Button kind="link" onclick={() => (removing = true)}>Remove the list</Button>
        </div>
      </aside>
    </div>
  </div>
  <div class="foot bg-sheet h-14 shrink-0">
    <Button onclick={keep} loading={busy} disabled={!changed}>
      Save list <span class="ms-2 font-normal opacity-70">Ctrl S</span>
    </Button>
    <span class="quiet">
      {changed
        ? say('Unsaved changes. Labels change everywhere when you save.')
        : say(`${edited.values.length} values`)}
    </span>
  </div>
</div>

<Modal bind:open={pasting} size="sm" title="Paste values">
  <form
    class="grid gap-3"
    onsubmit={(event) => {
      event.preventDefault();
      takeText(text);
    }}
  >
    <label class="grid gap-1">
      One value per line. A second column is what is stored, a third the value it belongs to.
      <Textarea class="h-48!" bind:value={text}></Textarea>
    </label>
    <div><Button type="submit" disabled={text.trim() === ''}>Add them</Button></div>
  </form>
</Modal>

<Modal bind:open={removing} size="sm" title="Remove {list.title}?">
  <p class="m-0">A list that is in use cannot be removed. This cannot be undone.</p>
  <div class="mt-3 flex gap-3">
    <Button onclick={remove}>Remove the list</Button>
    <Button kind="other" onclick={() => (removing = false)}>Cancel</Button>
  </div>
</Modal>
