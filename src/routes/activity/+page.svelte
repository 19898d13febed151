<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { page } from '$app/state';
  import InvitationsLedger from '$lib/ui/access/InvitationsLedger.svelte';
  import EventsList from '$lib/ui/people/EventsList.svelte';
  import SavesList from '$lib/ui/tables/SavesList.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();

  /** This page from another row on. */
  function older(before: number): string {
    const kept = [...page.url.searchParams].filter(([name]) => name !== 'before');
    return `/activity?${new URLSearchParams([...kept, ['before', String(before)]])}`;
  }

  const parts = $derived([
    { of: 'saves', label: say('Saves'), href: '/activity' },
    { of: 'people', label: say('People and access'), href: '/activity?of=people' },
  ]);
</script>

<svelte:head><title>Activity – Unisor</title></svelte:head>
<div class="headline">
  <h1>Activity</h1>
  {#if data.people}
    <nav class="flex gap-4" aria-label="Kinds of activity">
      {#each parts as { of, label, href } (of)}
        <a
          {href}
          class="border-b-2 {of === data.of
            ? 'border-marigold font-semibold'
            : 'text-soft border-transparent'}"
          aria-current={of === data.of ? 'page' : undefined}>{label}</a
        >
      {/each}
    </nav>
  {:else}
    <span class="quiet">every save, newest first</span>
  {/if}
</div>
<div class="max-w-[860px] px-5 pb-5">
  {#if data.of === 'people'}
    <EventsList events={data.events} kind={data.kind} person={data.person} since={data.since} />
  {:else}
    {#if data.invitations.length > 0}
      <h2 class="mb-2">Guests</h2>
      <div class="mb-6"><InvitationsLedger invitations={data.invitations} /></div>
      <h2 class="mb-2">Saves</h2>
    {/if}
    <SavesList saves={data.saves} tables={data.tables} forms={data.forms} />
  {/if}
  {#if data.next}
    <p class="mt-3"><a class="textlink" href={older(data.next)}>Older</a></p>
  {/if}
</div>
