<script lang="ts">
  import { Button, Textarea } from '$lib/ui/parts';

  interface Props {
    /** Whether rows were read already. */
    isRead: boolean;
    busy?: boolean;
    onread: (text: string) => void;
  }
  let { isRead, busy = false, onread }: Props = $props();

  let text = $state('');
</script>

<!-- Rows that are pasted in or typed, with a line of names first. -->
<label class="grid gap-1 font-semibold">
  Rows with a line of column names, copied from a spreadsheet or typed
  <Textarea
    class="h-32! font-mono font-normal"
    bind:value={text}
    spellcheck="false"
    placeholder="Name, Town"
  ></Textarea>
</label>
<div>
  <Button
    kind={isRead ? 'other' : 'main'}
    disabled={text.trim() === ''}
    loading={busy}
    onclick={() => onread(text)}>Read the rows</Button
  >
</div>
