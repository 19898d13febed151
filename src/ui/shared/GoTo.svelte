<script lang="ts" module>
  /** Something that one can go to by name. */
  export interface Place {
    label: string;
    kind: string;
    href: string;
  }
</script>

<script lang="ts">
  import { goto } from '$app/navigation';
  import { Button, Input, Modal } from '$lib/ui/parts';

  let { places }: { places: readonly Place[] } = $props();

  let open = $state(false);
  let typed = $state('');
  let active = $state(0);
  const found = $derived(
    places.filter((p) => `${p.label} ${p.kind}`.toLowerCase().includes(typed.trim().toLowerCase())),
  );

  function go(place: Place | undefined) {
    if (!place) return;
    open = false;
    void goto(place.href);
  }

  function onkeydown(event: KeyboardEvent) {
    if (event.key === 'ArrowDown') active = Math.min(active + 1, found.length - 1);
    else if (event.key === 'ArrowUp') active = Math.max(active - 1, 0);
    else if (event.key === 'Enter') go(found[active]);
    else return;
    event.preventDefault();
  }

  function onwindowkey(event: KeyboardEvent) {
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k') {
      event.preventDefault();
      typed = '';
      active = 0;
      open = true;
    }
  }
</script>

<svelte:window onkeydown={onwindowkey} />

<Button
  kind="bare"
  class="border-line bg-sheet text-soft ml-auto flex items-center justify-between rounded border px-2.5 py-1 whitespace-nowrap md:w-55"
  onclick={() => (open = true)}
>
  Go to… <kbd class="max-md:hidden">Ctrl K</kbd>
</Button>

<Modal bind:open size="sm" title="Go to" placement="top-center" outsideclose>
  <Input
    aria-label="Search forms, tables and pages"
    placeholder="Search forms, tables and pages"
    autofocus
    bind:value={typed}
    oninput={() => (active = 0)}
    {onkeydown}
  />
  <ul class="max-h-80 overflow-auto" role="listbox" aria-label="Places">
    {#each found as place, i (place.href)}
      <li role="option" aria-selected={i === active}>
        <a
          href={place.href}
          class="text-ink flex justify-between rounded px-2 py-1 {i === active ? 'bg-wash' : ''}"
          onclick={() => (open = false)}
        >
          {place.label}<span class="quiet">{place.kind}</span>
        </a>
      </li>
    {:else}
      <li class="quiet px-2">Nothing found.</li>
    {/each}
  </ul>
</Modal>
