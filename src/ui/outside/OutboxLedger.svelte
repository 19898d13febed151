<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { Button, Ledger } from '$lib/ui/parts';
  import { nothingWanted } from '$lib/core/contract/answers';
  import { invalidate } from '$app/navigation';
  import type { NamedConnection } from '$lib/core/outside/query';
  import { mailLane, type Sending } from '$lib/core/outside/sending';
  import type { Problem } from '$lib/core/problems';
  import { call } from '$lib/ui/shared/api';
  import FormLink from '$lib/ui/shared/FormLink.svelte';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import { ago } from '$lib/ui/shared/ago';

  interface Props {
    sends: readonly Sending[];
    connections: readonly NamedConnection[];
  }
  let { sends, connections }: Props = $props();

  let problems = $state.raw<Problem[]>([]);
  const titles = $derived(new Map(connections.map(({ key, title }) => [key, title])));
  const words = {
    waiting: say('waits'),
    sent: say('sent'),
    failed: say('failed'),
    dropped: say('given up'),
  } as const;

  async function settle(id: number, step: 'retry' | 'drop') {
    const called = await call(nothingWanted, `/api/outbox/${id}`, { body: { step } });
    problems = called.ok ? [] : called.problems;
    await invalidate('unisor:outbox');
  }

  function later(at: string): string {
    const seconds = Math.round((Date.parse(at) - Date.now()) / 1000);
    return seconds <= 1 ? say('tried now') : say(`tried again in ${seconds} s`);
  }
</script>

<Problems {problems} />
<Ledger class="border-line border">
  <thead>
    <tr>
      <th>Made</th><th>By</th><th>To</th><th>What</th><th>State</th><th class="num">Tries</th>
      <th><span class="sr-only">Steps</span></th>
    </tr>
  </thead>
  <tbody>
    {#each sends as { id, form, connection, method, address, body, state, tries, nextAt, reason, by, madeAt } (id)}
      <tr>
        <td class="text-soft whitespace-nowrap">{ago(madeAt)}</td>
        <td class="text-soft">{by}, <FormLink {form} /></td>
        {#if connection === mailLane}
          {@const { subject = '', text = '' } = body as { subject?: string; text?: string }}
          <td>{address}</td>
          <td class="max-w-96 truncate" title={text}>{subject}</td>
        {:else}
          <td>{titles.get(connection) ?? connection}</td>
          <td class="max-w-96 truncate font-mono text-[12.5px]" title={JSON.stringify(body)}
            >{method} {address} {JSON.stringify(body)}</td
          >
        {/if}
        <td>
          {#if state === 'failed'}<span class="text-crimson">failed: {reason}</span>
          {:else if state === 'waiting'}
            <span>{words[state]}, {later(nextAt)}</span>
            {#if reason}<span class="quiet block">{reason}</span>{/if}
          {:else if state === 'sent'}<span style="color: var(--moss)">sent</span>
          {:else}<span class="text-soft">{words[state]}</span>{/if}
        </td>
        <td class="num">{tries}</td>
        <td class="text-right whitespace-nowrap">
          {#if state === 'waiting' || state === 'failed'}
            <Button kind="link" onclick={() => settle(id, 'retry')}>Try again</Button>
            <Button kind="link" class="ms-3" onclick={() => settle(id, 'drop')}>Give up</Button>
          {/if}
        </td>
      </tr>
    {:else}
      <tr>
        <td colspan="7" class="text-soft">
          Nothing has been sent yet. Whatever a form sends to an outside system waits here until
          that system accepts it.
        </td>
      </tr>
    {/each}
  </tbody>
</Ledger>
