<script lang="ts">
  import { num, plural, say } from '$lib/core/words/say';
  import { nothingWanted } from '$lib/core/contract/answers';
  import { Button, Ledger, Select } from '$lib/ui/parts';
  import { call } from '$lib/ui/shared/api';

  interface Props {
    person: { id: number; name: string; shown: string };
    people: readonly { id: number; name: string; shown: string }[];
    tables: readonly { key: string; title: string; all: number; seen: number | null }[];
    onchoose: (name: string) => void;
  }
  let { person, people, tables, onchoose }: Props = $props();

  /** So many tables are named at once. */
  const most = 40;
  const open = $derived(tables.filter(({ seen }) => seen !== null));
  const hidden = $derived(tables.filter(({ seen }) => seen === null).map(({ title }) => title));
  const unseen = $derived.by(() => {
    const named = hidden.slice(0, most).join(', ');
    const more = num(hidden.length - most);
    return hidden.length > most ? say(`${named}, and ${more} more`) : named;
  });

  async function look() {
    const called = await call(nothingWanted, `/api/people/${person.id}/eyes`, { method: 'POST' });
    if (called.ok) location.assign('/');
  }
</script>

<h2 class="mb-2">What {person.shown} can see</h2>
<Select
  class="mb-3 max-w-full"
  aria-label={say('Person')}
  value={person.name}
  onchange={(event) => onchoose(event.currentTarget.value)}
>
  {#each people as { name, shown } (name)}<option value={name}>{shown}</option>{/each}
</Select>
<Ledger>
  <thead>
    <tr><th>Table</th><th class="num">Sees</th><th class="num">of</th></tr>
  </thead>
  <tbody>
    {#each open.slice(0, most) as { key, title, all, seen } (key)}
      <tr>
        <td>{title}</td>
        <td class="num font-semibold">{num(seen ?? 0)}</td>
        <td class="num text-soft">{num(all)}</td>
      </tr>
    {/each}
  </tbody>
</Ledger>
{#if open.length > most}
  <p class="quiet mt-2 mb-0">
    {plural(open.length - most, ['# more table is seen.', '# more tables are seen.'])}
  </p>
{/if}
{#if hidden.length > 0}
  <p class="quiet mt-2 mb-0">
    Not seen: {unseen}.
  </p>
{/if}
<Button kind="other" class="mt-4 w-full" onclick={look}>Look through their eyes</Button>
<p class="quiet mt-2 mb-0">
  Every page as they have it. You can look around, but nothing can be changed. It is noted in the
  activity.
</p>
