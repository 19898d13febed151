<script lang="ts">
  import { say, spoken } from '$lib/core/words/say';
  import type { AccountLine } from '$lib/core/contract/people';
  import { Button, Ledger } from '$lib/ui/parts';
  import { ago } from '$lib/ui/shared/ago';

  interface Props {
    accounts: readonly (AccountLine & { stands: string })[];
    roles: readonly { key: string; title: string }[];
    onedit: (id: number) => void;
  }
  let { accounts, roles, onedit }: Props = $props();

  const titles = $derived(new Map(roles.map(({ key, title }) => [key, title])));
  const states = spoken(() => ({
    invited: say('has not chosen a password yet'),
    active: '',
    locked: say('locked'),
  }));
</script>

<Ledger class="border-line border">
  <thead>
    <tr>
      <th>Person</th><th>Signs in as</th><th>Roles</th><th>Stands for</th><th>Last here</th>
      <th>State</th><th><span class="sr-only">Actions</span></th>
    </tr>
  </thead>
  <tbody>
    {#each accounts as { id, shown, name, roles: keys, stands, state, seenAt, demo } (id)}
      <tr>
        <td><b>{shown}</b></td>
        <td class="text-soft">{name}</td>
        <td>{keys.map((key) => titles.get(key) ?? key).join(', ') || say('none')}</td>
        <td>{stands || '–'}</td>
        <td class="text-soft">{seenAt === null ? '–' : ago(seenAt)}</td>
        <td class="text-soft">{states[state] || (demo ? say('demo') : '–')}</td>
        <td class="text-end">
          <Button kind="link" aria-label={say(`Change ${shown}`)} onclick={() => onedit(id)}
            >Change</Button
          >
        </td>
      </tr>
    {/each}
  </tbody>
</Ledger>
