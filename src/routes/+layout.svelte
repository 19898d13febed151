<script lang="ts">
  import '../app.css';
  import { onMount } from 'svelte';
  import { afterNavigate } from '$app/navigation';
  import { page } from '$app/state';
  import { ThemeProvider } from '$lib/ui/parts';
  import { firstHeading, keepFocus } from '$lib/ui/shared/focus';
  import KeyHelp from '$lib/ui/shared/KeyHelp.svelte';
  import LooksAs from '$lib/ui/people/LooksAs.svelte';
  import LeaveAsked from '$lib/ui/shared/LeaveAsked.svelte';
  import Toasts from '$lib/ui/shared/Toasts.svelte';
  import TopBar from '$lib/ui/shared/TopBar.svelte';
  import type { LayoutProps } from './$types';

  let { data, children }: LayoutProps = $props();
  /** The pages with which somebody begins. */
  const isFirst = $derived(/^\/(guest|sign-in|set-up|welcome)(\/|$)/.test(page.url.pathname));
  /** Without the bar: these, and what a stranger is told. */
  const bare = $derived(!data.known || isFirst);

  let main = $state<HTMLElement>();
  /** Whether the page answers to hands by now. */
  let ready = $state(false);
  onMount(() => {
    ready = true;
    return keepFocus(document.documentElement);
  });
  // One who goes to another page begins at its heading, not at the bar again.
  afterNavigate(({ type }) => {
    if (type !== 'enter' && main) firstHeading(main);
  });
</script>

<!-- Flowbite asks each control for its theme, and an error is made and caught wherever there is none. -->
<ThemeProvider theme={{}}>
  <div class="flex h-screen min-w-[360px] flex-col">
    {#if !bare}
      {#if data.looksAs}<LooksAs person={data.person} />{/if}
      <TopBar person={data.person} backups={data.backups} />
    {/if}
    <KeyHelp />
    <Toasts />
    <LeaveAsked />
    <main
      bind:this={main}
      data-ready={ready ? 'yes' : undefined}
      tabindex="-1"
      class="relative min-h-0 flex-1 overflow-auto outline-none"
    >
      {@render children()}
    </main>
  </div>
</ThemeProvider>
