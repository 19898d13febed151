<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { nothingWanted } from '$lib/core/contract/answers';
  import type { Problem } from '$lib/core/problems';
  import type { Column, Table } from '$lib/core/table/definition';
  import type { FilesType } from '$lib/core/values/files';
  import { Button, Modal } from '$lib/ui/parts';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import FilesLimits from './FilesLimits.svelte';

  interface Props {
    table: Table;
    column: Column;
    type: FilesType;
    onclose: () => void;
    onchanged: () => void;
  }
  let { table, column, type, onclose, onchanged }: Props = $props();

  // svelte-ignore state_referenced_locally
  let files = $state(type);
  let problems = $state.raw<Problem[]>([]);

  async function change(event: SubmitEvent) {
    event.preventDefault();
    const { kinds, largest, most } = $state.snapshot(files);
    const address = `/api/tables/${table.key}/columns/${column.key}`;
    const called = await call(nothingWanted, address, {
      method: 'PATCH',
      body: { files: { kinds, largest, most } },
    });
    problems = called.ok ? [] : called.problems;
    if (!called.ok) return;
    onchanged();
    onclose();
  }
</script>

<Modal open size="sm" title={say(`Files of ${column.label}`)} {onclose}>
  <form class="grid gap-3" onsubmit={change}>
    <div class="flex flex-wrap gap-3">
      <FilesLimits type={files} label={column.label} onchange={(chosen) => (files = chosen)} />
    </div>
    <p class="quiet m-0">Files that stand in records stay; new ones are taken like this.</p>
    <Problems {problems} />
    <div><Button type="submit">Change</Button></div>
  </form>
</Modal>
