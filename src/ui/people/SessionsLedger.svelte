<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { invalidateAll } from '$app/navigation';
  import { nothingWanted } from '$lib/core/contract/answers';
  import type { Problem } from '$lib/core/problems';
  import { Button, Ledger } from '$lib/ui/parts';
  import { ago } from '$lib/ui/shared/ago';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import { deviceOf } from './device';

  interface Props {
    sessions: readonly {
      id: string;
      seenAt: string;
      agent: string;
      address: string;
      here: boolean;
    }[];
  }
  let { sessions }: Props = $props();
  let problems = $state.raw<Problem[]>([]);

  async function end(id: string) {
    const address = `/api/account/sessions/${id}`;
    const called = await call(nothingWanted, address, { method: 'DELETE' });
    problems = called.ok ? [] : called.problems;
    await invalidateAll();
  }
</script>

<Problems {problems} />
<Ledger class="border-line border">
  <thead>
    <tr>
      <th>Browser</th><th>Address</th><th>Last used</th>
      <th><span class="sr-only">Actions</span></th>
    </tr>
  </thead>
  <tbody>
    {#each sessions as { id, seenAt, agent, address, here } (id)}
      <tr>
        <td>{deviceOf(agent)}</td>
        <td class="text-soft">{address || '–'}</td>
        <td class="text-soft">{here ? say('this one, now') : ago(seenAt)}</td>
        <td class="text-end">
          {#if !here}<Button kind="link" onclick={() => end(id)}>End</Button>{/if}
        </td>
      </tr>
    {/each}
  </tbody>
</Ledger>
