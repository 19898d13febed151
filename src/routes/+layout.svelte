<script lang="ts">
  import '../app.css';
  import { page } from '$app/state';
  import { ThemeProvider } from 'flowbite-svelte';
  import { theme } from '$lib/ui/shared/theme';
  import KeyHelp from '$lib/ui/shared/KeyHelp.svelte';
  import TopBar from '$lib/ui/shared/TopBar.svelte';
  import type { LayoutProps } from './$types';

  let { data, children }: LayoutProps = $props();
  const guest = $derived(page.url.pathname.startsWith('/guest/'));
</script>

<ThemeProvider {theme}>
  <div class="flex h-screen min-w-[360px] flex-col">
    {#if !guest}<TopBar places={data.places} person={data.person} />{/if}
    <KeyHelp />
    <main class="min-h-0 flex-1 overflow-auto">{@render children()}</main>
  </div>
</ThemeProvider>
