<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { UserOutline } from 'flowbite-svelte-icons';
  import { page } from '$app/state';
  import GoTo from './GoTo.svelte';
  import Mark from './Mark.svelte';
  import { mayPlace } from './may';

  interface Props {
    person: string;
    /** What is wrong with the backups, for those who answer for them. */
    backups: 'failed' | 'old' | null;
  }
  let { person, backups }: Props = $props();

  const sections = $derived([
    { href: '/forms', label: say('Forms') },
    { href: '/tables', label: say('Tables') },
    { href: '/lists', label: say('Lists') },
    ...(mayPlace('outside') ? [{ href: '/outside', label: say('Outside') }] : []),
    { href: '/activity', label: say('Activity') },
    ...(mayPlace('people') ? [{ href: '/people', label: say('People') }] : []),
    ...(mayPlace('people') ? [{ href: '/keeping', label: say('Keeping') }] : []),
  ]);
</script>

<header
  class="border-line bg-paper flex h-12 shrink-0 items-center gap-3 border-b px-3 md:gap-6 md:px-5"
  aria-label="Unisor"
>
  <a href="/" class="flex items-center gap-2 font-serif text-[20px] font-semibold max-sm:text-[0]">
    <Mark />
    Unisor
  </a>
  <nav
    class="flex h-full min-w-0 gap-5 overflow-x-auto overflow-y-hidden max-md:gap-3"
    aria-label="Places"
  >
    {#each sections as { href, label } (href)}
      {@const here = page.url.pathname.startsWith(href)}
      <a
        {href}
        data-label={label}
        class="keeps-width flex h-full flex-col justify-center border-b-2 {here
          ? 'text-ink border-marigold font-semibold'
          : 'text-soft border-transparent'}"
        aria-current={here ? 'page' : undefined}>{label}</a
      >
    {/each}
  </nav>
  <GoTo />
  {#if backups}
    <a href="/keeping" class="mark bad shrink-0 max-sm:hidden">
      {backups === 'failed' ? say('The last backup failed') : say('The last backup is old')}
    </a>
  {/if}
  <a
    href="/account"
    class="flex h-full shrink-0 items-center border-b-2 font-semibold {page.url.pathname ===
    '/account'
      ? 'border-marigold'
      : 'border-transparent'}"
    aria-current={page.url.pathname === '/account' ? 'page' : undefined}
    aria-label={say(`Your account: ${person}`)}
  >
    <span class="max-w-40 truncate max-md:hidden">{person}</span>
    <UserOutline class="size-5 md:hidden" aria-hidden="true" />
  </a>
</header>

<style>
  /* As wide as it is when one is there: nothing moves beside it. */
  .keeps-width::after {
    content: attr(data-label);
    height: 0;
    overflow: hidden;
    visibility: hidden;
    font-weight: 600;
  }
</style>
