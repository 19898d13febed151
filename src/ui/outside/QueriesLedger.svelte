<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { Ledger } from '$lib/ui/parts';
  import type { NamedConnection, Query } from '$lib/core/outside/query';

  interface Props {
    queries: readonly (Query & { uses: { where: string; href: string }[] })[];
    connections: readonly NamedConnection[];
  }
  let { queries, connections }: Props = $props();

  const titles = $derived(new Map(connections.map(({ key, title }) => [key, title])));
</script>

<Ledger class="border-line border">
  <thead>
    <tr>
      <th>Query</th><th>Connection</th><th>Asks with</th><th>Gives</th><th>Reuse an answer for</th>
      <th>Used in</th>
    </tr>
  </thead>
  <tbody>
    {#each queries as query (query.key)}
      <tr>
        <td>
          <a class="font-semibold hover:underline" href="/outside/queries/{query.key}"
            >{query.title}</a
          >
        </td>
        <td class="text-soft whitespace-nowrap"
          >{titles.get(query.connection) ?? query.connection}</td
        >
        <td>{query.parameters.map(({ label }) => label).join(', ') || '–'}</td>
        <td class="max-w-80 truncate">{query.columns.map(({ label }) => label).join(', ')}</td>
        <td class="text-soft">{query.keeps === 0 ? say('not at all') : say(`${query.keeps} s`)}</td>
        <td>
          {#each query.uses as { where, href }, i (where)}
            {i > 0 ? '; ' : ''}<a class="ref" {href}>{where}</a>
          {:else}<span class="text-soft">–</span>{/each}
        </td>
      </tr>
    {:else}
      <tr>
        <td colspan="6" class="text-soft">
          No queries yet. A query sends values from a form to a connection; the answer becomes
          choices, values or rows of the form.
        </td>
      </tr>
    {/each}
  </tbody>
</Ledger>
