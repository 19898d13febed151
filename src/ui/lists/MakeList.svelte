<script lang="ts">
  import { keySaid } from '$lib/core/contract/answers';
  import { goto } from '$app/navigation';
  import { Button, Input, Modal, Textarea } from '$lib/ui/parts';
  import type { Problem } from '$lib/core/problems';
  import { keyFrom } from '$lib/core/table/definition';
  import { mergedValues, type OptionList } from '$lib/core/table/option-list';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import { rowsOfText } from './pasted';

  let { taken }: { taken: readonly string[] } = $props();

  let open = $state(false);
  let title = $state('');
  let category = $state('');
  let text = $state('');
  let problems = $state.raw<Problem[]>([]);
  let busy = $state(false);

  async function make(event: SubmitEvent) {
    event.preventDefault();
    if (title.trim() === '') return;
    const empty: OptionList = {
      key: keyFrom(title, taken),
      title: title.trim(),
      category: category.trim(),
      note: '',
      of: null,
      values: [],
    };
    busy = true;
    const body = { ...empty, values: mergedValues(empty, rowsOfText(text)) };
    const called = await call(keySaid, '/api/lists', { body });
    busy = false;
    problems = called.ok ? [] : called.problems;
    if (called.ok) await goto(`/lists/${called.value.key}`);
  }
</script>

<Button class="ms-auto" onclick={() => (open = true)}>New list</Button>
<Modal bind:open size="sm" title="Make an option list">
  <form class="grid gap-3" onsubmit={make}>
    <label class="grid gap-1 font-semibold">
      Title
      <Input class="font-normal" bind:value={title} required maxlength={200} autofocus />
    </label>
    <label class="grid gap-1 font-semibold">
      Category
      <Input class="font-normal" bind:value={category} maxlength={100} />
    </label>
    <label class="grid gap-1 font-semibold">
      Values, one per line
      <Textarea class="h-32! font-normal" bind:value={text}></Textarea>
    </label>
    <p class="quiet m-0">Paste two columns to store something other than the label.</p>
    <Problems {problems} />
    <div>
      <Button type="submit" loading={busy} disabled={title.trim() === ''}>Create list</Button>
    </div>
  </form>
</Modal>
