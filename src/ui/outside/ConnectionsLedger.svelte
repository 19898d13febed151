<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { Ledger } from '$lib/ui/parts';
  import type { NamedConnection, Query } from '$lib/core/outside/query';
  import { ago } from '$lib/ui/shared/ago';
  import { kindWords, placeOf } from './words';

  interface Props {
    connections: readonly (NamedConnection & {
      state: { asked: number; lastAt: string | null; lastFailed: string | null } | null;
    })[];
    queries: readonly Query[];
  }
  let { connections, queries }: Props = $props();
</script>

<Ledger class="border-line border">
  <thead>
    <tr>
      <th>Connection</th><th>Kind</th><th>Where</th><th class="num">Queries</th><th>Last used</th>
      <th>Result</th>
    </tr>
  </thead>
  <tbody>
    {#each connections as { key, title, reach, state } (key)}
      <tr>
        <td><a class="font-semibold hover:underline" href="/outside/{key}">{title}</a></td>
        <td class="text-soft">{kindWords[reach.kind]}</td>
        <td class="max-w-80 truncate">{placeOf(reach)}</td>
        <td class="num">{queries.filter((query) => query.connection === key).length}</td>
        <td class="text-soft">{state?.lastAt ? ago(state.lastAt) : say('never')}</td>
        <td class="max-w-96 truncate">
          {#if !state?.lastAt}<span class="text-soft">–</span>
          {:else if state.lastFailed}
            <span class="text-crimson" title={state.lastFailed}>failed: {state.lastFailed}</span>
          {:else}<span style="color: var(--moss)">answered</span>{/if}
        </td>
      </tr>
    {:else}
      <tr>
        <td colspan="6" class="text-soft">
          No connections yet. A connection tells Unisor how to reach an outside system: an HTTP
          service that returns JSON, a database or a CSV file. Queries then give forms their
          choices, values and rows.
        </td>
      </tr>
    {/each}
  </tbody>
</Ledger>
