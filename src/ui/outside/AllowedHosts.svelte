<script lang="ts">
  import { nothingWanted } from '$lib/core/contract/answers';
  import { invalidateAll } from '$app/navigation';
  import { Button, Textarea } from '$lib/ui/parts';
  import type { Problem } from '$lib/core/problems';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';

  let { hosts }: { hosts: readonly string[] } = $props();

  let text = $derived(hosts.join('\n'));
  let problems = $state.raw<Problem[]>([]);
  const given = $derived(text.split(/[\s,]+/).filter((host) => host !== ''));
  const changed = $derived(given.join() !== hosts.join());

  async function keep(event: SubmitEvent) {
    event.preventDefault();
    const called = await call(nothingWanted, '/api/outside-hosts', {
      method: 'PUT',
      body: { hosts: given },
    });
    problems = called.ok ? [] : called.problems;
    if (called.ok) await invalidateAll();
  }
</script>

<form class="grid max-w-[520px] gap-2" onsubmit={keep}>
  <h2>Allowed hosts</h2>
  <p class="quiet m-0">
    One per line, with a port if needed. Queries and redirects can reach these hosts only.
  </p>
  <Textarea class="h-20! font-mono text-[13px]!" aria-label="Hosts" bind:value={text}></Textarea>
  <Problems {problems} />
  <div><Button type="submit" disabled={!changed}>Save hosts</Button></div>
</form>
