<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { page } from '$app/state';
  import GoTo, { type Place } from './GoTo.svelte';

  let { places, person }: { places: readonly Place[]; person: string } = $props();

  const sections = [
    { href: '/forms', label: say('Forms') },
    { href: '/tables', label: say('Tables') },
    { href: '/lists', label: say('Lists') },
    { href: '/outside', label: say('Outside') },
    { href: '/activity', label: say('Activity') },
  ];
</script>

<header
  class="border-line bg-paper flex h-12 shrink-0 items-center gap-3 border-b px-3 md:gap-6 md:px-5"
  aria-label="Unisor"
>
  <a href="/" class="flex items-center gap-2 font-serif text-[20px] font-semibold max-sm:text-[0]">
    <svg
      width="24"
      height="18"
      viewBox="0 0 24 18"
      fill="none"
      stroke="var(--navy)"
      stroke-width="2"
      aria-hidden="true"
    >
      <path d="M2 3h8v6a4 4 0 0 1-8 0z" />
      <path d="M14 15h8V9a4 4 0 0 0-8 0z" stroke="var(--marigold)" />
      <path d="M10 9h4" />
    </svg>
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
        class="flex h-full items-center border-b-2 {here
          ? 'text-ink border-marigold font-semibold'
          : 'text-soft border-transparent'}"
        aria-current={here ? 'page' : undefined}>{label}</a
      >
    {/each}
  </nav>
  <GoTo {places} />
  <span class="text-soft capitalize max-md:hidden">{person}</span>
</header>
