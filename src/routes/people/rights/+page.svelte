<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { goto, invalidateAll } from '$app/navigation';
  import { nothingWanted } from '$lib/core/contract/answers';
  import { roleAnswer } from '$lib/core/contract/people';
  import type { Problem } from '$lib/core/problems';
  import { Button } from '$lib/ui/parts';
  import NewRole from '$lib/ui/people/NewRole.svelte';
  import RightsMatrix from '$lib/ui/people/RightsMatrix.svelte';
  import SeenBy from '$lib/ui/people/SeenBy.svelte';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import { watchUnsaved } from '$lib/ui/shared/unsaved';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();

  /** The role as it is being changed. */
  let role = $derived(structuredClone(data.role));
  let problems = $state.raw<Problem[]>([]);
  let making = $state(false);
  const fixed = $derived(data.role.key === 'keeper');
  const changed = $derived(JSON.stringify(role) !== JSON.stringify(data.role));
  const unsaved = watchUnsaved(() => (changed ? role : null));

  async function save() {
    const { key, ...body } = role;
    const called = await call(roleAnswer, `/api/roles/${key}`, { method: 'PUT', body });
    problems = called.ok ? [] : called.problems;
    if (!called.ok) return;
    unsaved.settled();
    await invalidateAll();
  }

  async function remove() {
    const called = await call(nothingWanted, `/api/roles/${role.key}`, { method: 'DELETE' });
    problems = called.ok ? [] : called.problems;
    if (called.ok) await goto('/people/rights');
  }
</script>

<svelte:head><title>Rights – Unisor</title></svelte:head>
<div class="headline">
  <h1>Rights</h1>
  <span class="quiet">who may see and do what; what nobody allowed is refused</span>
  <span class="ms-auto flex gap-2">
    <Button kind="other" onclick={() => (making = true)}>Add a role</Button>
    {#if !fixed}
      <Button disabled={!changed} onclick={save}>Save rights</Button>
    {/if}
  </span>
</div>
<nav class="border-line flex gap-6 overflow-x-auto border-b px-5" aria-label="Roles">
  {#each data.roles as { key, title, people } (key)}
    {@const here = key === data.role.key}
    <a
      href="/people/rights?role={key}"
      class="flex shrink-0 items-baseline gap-2 border-b-2 py-2 {here
        ? 'border-marigold'
        : 'border-transparent'}"
      aria-current={here ? 'page' : undefined}
    >
      <span class={here ? 'font-semibold' : ''}>{title}</span>
      <span class="quiet max-w-48 truncate">{people.join(', ')}</span>
    </a>
  {/each}
</nav>
<div class="grid lg:grid-cols-[minmax(0,1fr)_340px]">
  <div class="min-w-0 px-5 pt-3 pb-6">
    {#if role.note !== ''}<p class="quiet mt-0 mb-2">{role.note}</p>{/if}
    <Problems {problems} />
    {#key data.role}
      <RightsMatrix
        bind:role
        tables={data.tables}
        forms={data.forms}
        broken={data.broken}
        {fixed}
      />
    {/key}
    {#if !fixed && !['designer', 'clerk'].includes(role.key)}
      <p class="mt-5 mb-0">
        <Button kind="link" class="text-crimson!" onclick={remove}>Remove this role</Button>
      </p>
    {/if}
  </div>
  <aside class="border-line min-w-0 border-s px-5 py-4 max-lg:border-s-0 max-lg:border-t">
    {#if data.person}
      <SeenBy
        person={data.person}
        people={data.people}
        tables={data.tables}
        onchoose={(name) => goto(`/people/rights?role=${data.role.key}&person=${name}`)}
      />
    {:else}
      <p class="quiet m-0">
        {say('Nobody has this role yet.')}
        <a class="textlink" href="/people">Give it to somebody</a>
      </p>
    {/if}
  </aside>
</div>
{#if making}
  <NewRole
    like={role}
    onmade={(key) => goto(`/people/rights?role=${key}`, { invalidateAll: true })}
    onclose={() => (making = false)}
  />
{/if}
<span class="sr-only" role="status">{changed ? say('Not saved yet') : ''}</span>
