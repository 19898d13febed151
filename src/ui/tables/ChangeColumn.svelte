<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { nothingWanted, usesAnswer, type UsingForm } from '$lib/core/contract/answers';
  import { Button, Input, Modal, Ledger } from '$lib/ui/parts';
  import type { Problem } from '$lib/core/problems';
  import type { Column, Table } from '$lib/core/table/definition';
  import { keySchema } from '$lib/core/values/key';
  import type { Option } from '$lib/core/values/types';
  import { call } from '$lib/ui/shared/api';
  import { mayPlace } from '$lib/ui/shared/may';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import UseList from './UseList.svelte';

  interface Props {
    table: Table;
    /** The column, and what is to be done with it. */
    column: Column;
    step: 'rename' | 'remove' | 'options';
    onclose: () => void;
    onchanged: () => void;
  }
  let { table, column, step, onclose, onchanged }: Props = $props();

  const address = $derived(`/api/tables/${table.key}/columns/${column.key}`);
  let key = $derived(column.key);
  let options = $state<Option[]>([]);
  let uses = $state.raw<UsingForm[] | null>(null);
  let problems = $state.raw<Problem[]>([]);
  let busy = $state(false);
  const badKey = $derived(!keySchema.safeParse(key).success);

  $effect(() => {
    options =
      column.type.kind === 'option' ? column.type.options.map((option) => ({ ...option })) : [];
    const wish = new URLSearchParams({ column: column.key });
    void call(usesAnswer, `/api/tables/${table.key}/uses?${wish}`).then((called) => {
      uses = called.ok ? called.value : [];
      problems = called.ok ? [] : called.problems;
    });
  });

  async function change(init: Parameters<typeof call>[2]) {
    busy = true;
    const called = await call(nothingWanted, address, init);
    busy = false;
    problems = called.ok ? [] : called.problems;
    if (!called.ok) return;
    onchanged();
    onclose();
  }

  function submit(event: SubmitEvent) {
    event.preventDefault();
    if (step === 'remove') return change({ method: 'DELETE' });
    if (step === 'rename') return change({ method: 'PATCH', body: { key } });
    const given = options
      .map(({ value, label }) => ({ value: value.trim() || label.trim(), label: label.trim() }))
      .filter((option) => option.label !== '');
    return change({ method: 'PATCH', body: { options: given } });
  }

  function move(from: number, by: number) {
    const [option] = options.splice(from, 1);
    if (option) options.splice(from + by, 0, option);
  }
</script>

<Modal
  open
  size="md"
  title={{
    rename: say(`Give ${column.label} another key`),
    remove: say(`Remove ${column.label}?`),
    options: say(`Options of ${column.label}`),
  }[step]}
  {onclose}
>
  <form class="grid gap-3" onsubmit={submit}>
    {#if step === 'rename'}
      <label class="grid gap-1 font-semibold">
        Key
        <Input class="font-normal" bind:value={key} aria-invalid={badKey} />
      </label>
      {#if badKey}<p class="text-crimson m-0">A key holds small letters, digits and _.</p>{/if}
    {:else if step === 'options'}
      <Ledger class="border-line border">
        <thead>
          <tr><th>Shown</th><th>Stored</th><th><span class="sr-only">Steps</span></th></tr>
        </thead>
        <tbody>
          {#each options as option, i (i)}
            <tr>
              <td><Input aria-label="Shown {i + 1}" bind:value={option.label} /></td>
              <td class="text-soft">{option.value || option.label}</td>
              <td class="text-right whitespace-nowrap">
                <Button
                  kind="link"
                  disabled={i === 0}
                  aria-label="Move {option.label} up"
                  onclick={() => move(i, -1)}>↑</Button
                >
                <Button
                  kind="link"
                  aria-label="Remove {option.label}"
                  onclick={() => options.splice(i, 1)}>Remove</Button
                >
              </td>
            </tr>
          {/each}
        </tbody>
      </Ledger>
      <div class="flex flex-wrap justify-between gap-3">
        <Button kind="link" onclick={() => options.push({ value: '', label: '' })}
          >+ an option</Button
        >
        {#if mayPlace('lists')}
          <Button
            kind="link"
            loading={busy}
            title="Other columns and forms can take their options from it, too."
            onclick={() => change({ method: 'PATCH', body: { listed: column.label } })}
            >Turn them into an option list</Button
          >
        {/if}
      </div>
    {/if}
    {#if uses === null}
      <p class="quiet m-0">Looking where it is used…</p>
    {:else if uses.length === 0}
      <p class="quiet m-0">No form uses it.</p>
    {:else}
      <div>
        <p class="m-0">
          {step === 'remove'
            ? say('It cannot be removed while forms use it:')
            : step === 'rename'
              ? say('The new key is also changed in:')
              : say('Used in:')}
        </p>
        <ul class="m-0 list-disc ps-5">
          {#each uses as form (form.key)}
            <li>
              <a class="ref" href="/forms/{form.key}/design">{form.title}</a>: <UseList {form} />
            </li>
          {/each}
        </ul>
      </div>
    {/if}
    {#if step === 'remove' && uses?.length === 0}
      <p class="m-0">Its values go with it. This cannot be undone.</p>
    {/if}
    <Problems {problems} />
    <div class="flex gap-3">
      {#if step !== 'remove' || uses?.length === 0}
        <Button
          type="submit"
          loading={busy}
          disabled={uses === null || (step === 'rename' && badKey)}
        >
          {{
            rename: say('Change the key'),
            remove: say('Remove the column'),
            options: say('Save options'),
          }[step]}
        </Button>
      {/if}
      <Button type="button" kind="other" onclick={onclose}>Cancel</Button>
    </div>
  </form>
</Modal>
