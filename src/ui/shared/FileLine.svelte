<script lang="ts">
  import { FileOutline } from 'flowbite-svelte-icons';
  import { sizeText, shownPictures, type KeptFile } from '$lib/core/values/files';
  import { fileAddress, pictureAddress } from './files';

  interface Props {
    file: KeptFile;
    /** Whether its picture is shown large enough to tell it. */
    large?: boolean;
  }
  let { file, large = false }: Props = $props();

  const picture = $derived(pictureAddress(file));
  const opens = $derived(shownPictures.has(file.type));
</script>

<a
  class="flex min-w-0 items-center gap-2"
  href={fileAddress(file)}
  target={opens ? '_blank' : undefined}
  rel="noopener"
  download={opens ? undefined : file.name}
  data-sveltekit-reload
>
  {#if picture}
    <img
      class={['border-line shrink-0 rounded border object-cover', large ? 'h-24 w-32' : 'h-8 w-10']}
      src={picture}
      alt=""
      loading="lazy"
    />
  {:else}
    <span
      class={[
        'border-line bg-paper text-soft flex shrink-0 items-center justify-center rounded border',
        large ? 'h-24 w-32' : 'h-8 w-10',
      ]}><FileOutline class="h-5 w-5" /></span
    >
  {/if}
  <span class="min-w-0">
    <span class="text-link block truncate underline decoration-(--edge) underline-offset-3"
      >{file.name}</span
    >
    {#if large}<span class="quiet block">{sizeText(file.size)}</span>{/if}
  </span>
</a>
