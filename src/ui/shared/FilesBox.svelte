<script lang="ts">
  import { CameraPhotoOutline } from 'flowbite-svelte-icons';
  import { say } from '$lib/core/words/say';
  import { problem, type Problem } from '$lib/core/problems';
  import {
    acceptOf,
    kindsText,
    misfitOf,
    sizeText,
    type FilesType,
    type KeptFile,
  } from '$lib/core/values/files';
  import type { Value } from '$lib/core/values/types';
  import { Button, FileInput, Progressbar } from '$lib/ui/parts';
  import FileLine from './FileLine.svelte';
  import { refusalOf, sendFile, type Sending } from './files';
  import { holdsPending } from './pending';

  interface Props {
    id: string;
    label: string;
    type: FilesType;
    files: readonly KeptFile[];
    onvalue: (value: Value) => void;
    /** Where problems with it belong. */
    path: string;
    /** Whether there is room for names only. */
    narrow?: boolean;
    disabled?: boolean;
    invalid?: boolean;
    describedby?: string | undefined;
  }
  let {
    id,
    label,
    type,
    files,
    onvalue,
    path,
    narrow = false,
    disabled = false,
    invalid = false,
    describedby,
  }: Props = $props();

  interface Coming {
    key: number;
    name: string;
    part: number;
    failed: Problem | null;
    sending: Sending | null;
  }
  let coming = $state<Coming[]>([]);
  // Nothing on the screen follows it.
  // eslint-disable-next-line svelte/prefer-svelte-reactivity
  const underway = new Set<Promise<void>>();
  let next = 0;
  let chooser = $state<HTMLInputElement>();
  let camera = $state<HTMLInputElement>();
  let over = $state(false);

  const room = $derived(type.most - files.length - coming.length);
  const pictures = $derived(type.kinds.length === 0 || type.kinds.includes('picture'));
  const told = $derived.by(() => {
    const kinds = kindsText(type.kinds);
    const size = sizeText(type.largest);
    if (type.most === 1)
      return kinds === '' ? say(`up to ${size}`) : say(`${kinds}, up to ${size}`);
    return kinds === ''
      ? say(`at most ${type.most}, up to ${size} each`)
      : say(`${kinds}; at most ${type.most}, up to ${size} each`);
  });

  // A save waits for what is on its way, and is not done as long as one has failed.
  holdsPending(async () => {
    while (underway.size > 0) await Promise.all(underway);
    const failed = coming.find((one) => one.failed)?.failed;
    return failed ? { ...failed, path } : null;
  });

  function take(list: Iterable<File> | null | undefined) {
    if (disabled) return;
    let left = room;
    for (const file of list ?? []) {
      const failed =
        left-- > 0
          ? refusalOf(type, label, file)
          : problem('too_many_files', { label, limit: type.most });
      coming.push({ key: next++, name: file.name, part: 0, failed, sending: null });
      const one = coming.at(-1);
      if (!one || failed) continue;
      const work = send(one, file).finally(() => underway.delete(work));
      underway.add(work);
    }
  }

  async function send(one: Coming, file: File) {
    one.sending = sendFile(file, (part) => (one.part = part));
    const sent = await one.sending.done;
    if (!coming.includes(one)) return;
    if (sent === null) return drop(one);
    one.failed = 'code' in sent ? sent : misfitOf(type, label, sent);
    if (one.failed || 'code' in sent) return;
    coming = coming.filter((other) => other !== one);
    put([...files, sent]);
  }

  function drop(one: Coming) {
    one.sending?.stop();
    coming = coming.filter((other) => other !== one);
    // What was said against it goes as well.
    if (one.failed) put(files);
  }

  function put(kept: readonly KeptFile[]) {
    onvalue(kept.length > 0 ? kept.map((file) => ({ ...file })) : null);
  }

  function paste(event: ClipboardEvent) {
    const pasted = [...(event.clipboardData?.files ?? [])];
    if (pasted.length === 0) return;
    event.preventDefault();
    take(pasted);
  }

  function droppedOn(event: DragEvent) {
    event.preventDefault();
    over = false;
    take(event.dataTransfer?.files);
  }

  function chosen(input: HTMLInputElement) {
    take([...(input.files ?? [])]);
    input.value = '';
  }
</script>

<div
  {id}
  class={[
    'grid gap-1.5 rounded',
    !narrow && 'border border-dashed p-2',
    invalid ? 'border-crimson' : 'border-line',
    over && 'bg-(--marigold-wash)',
  ]}
  role="group"
  aria-label={label}
  aria-describedby={describedby}
  onpaste={paste}
  ondragover={(event) => {
    event.preventDefault();
    over = !disabled;
  }}
  ondragleave={() => (over = false)}
  ondrop={droppedOn}
>
  {#each files as file (file.file)}
    <div class="flex items-center justify-between gap-3">
      <FileLine {file} large={!narrow} />
      {#if !disabled}
        <Button
          kind="bare"
          class="px-1"
          aria-label="Take {file.name} off"
          title="Take {file.name} off"
          onclick={() => put(files.filter((other) => other !== file))}>×</Button
        >
      {/if}
    </div>
  {/each}
  {#each coming as one (one.key)}
    <div class="flex items-center justify-between gap-3">
      <span class="min-w-0 grow">
        <span class="block truncate">{one.name}</span>
        {#if one.failed}
          <span class="text-crimson text-[12.5px]">{one.failed.message}</span>
        {:else}
          <Progressbar
            progress={Math.round(one.part * 100)}
            size="h-1"
            aria-label="{one.name}, sent so far"
          />
        {/if}
      </span>
      <Button kind="bare" class="px-1" aria-label="Take {one.name} off" onclick={() => drop(one)}
        >×</Button
      >
    </div>
  {/each}
  {#if !disabled}
    <div class="flex flex-wrap items-center gap-x-3 gap-y-1.5">
      <Button kind="other" disabled={room <= 0} onclick={() => chooser?.click()}>
        {type.most === 1 ? say('Choose a file') : say('Add files')}
      </Button>
      {#if pictures}
        <Button
          kind="other"
          class="pointer-fine:hidden"
          disabled={room <= 0}
          onclick={() => camera?.click()}
        >
          <CameraPhotoOutline class="me-1.5 h-4 w-4" />{say('Take a photograph')}
        </Button>
      {/if}
      {#if !narrow}<span class="quiet">{told}</span>{/if}
      <FileInput
        class="sr-only"
        tabindex={-1}
        aria-hidden="true"
        accept={acceptOf(type)}
        multiple={type.most > 1}
        bind:element={chooser}
        onchange={({ currentTarget }) => chosen(currentTarget)}
      />
      {#if pictures}
        <FileInput
          class="sr-only"
          tabindex={-1}
          aria-hidden="true"
          accept="image/*"
          capture="environment"
          bind:element={camera}
          onchange={({ currentTarget }) => chosen(currentTarget)}
        />
      {/if}
    </div>
  {:else if files.length === 0}–{/if}
</div>
