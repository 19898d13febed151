<script lang="ts">
  import { Input } from '$lib/ui/parts';
  import type { Choice } from '$lib/core/entry/asks';
  import { holdsPending } from '$lib/ui/shared/pending';

  interface Props {
    id: string;
    /** What was typed and is being looked up, or names nothing. */
    text: string | null;
    /** The record that was found. */
    chosen: Choice | null;
    /** Where the key stands among the shown columns; -1 where it is not shown. */
    place: number;
    invalid: boolean;
    disabled: boolean;
    describedby?: string;
    /** The control's name, where no label stands beside it. */
    label?: string;
    /** Takes a key when the field is left, or with Enter. */
    ontext: (text: string) => void;
  }
  let { id, text, chosen, place, invalid, disabled, describedby, label, ontext }: Props = $props();

  /** What is being typed; null while nothing is. */
  let typed = $state<string | null>(null);

  function commit() {
    const given = typed;
    typed = null;
    if (given !== null && given !== (text ?? known)) ontext(given);
  }
  holdsPending(commit);

  const known = $derived(chosen ? String(chosen.shown[place] ?? chosen.shown[0] ?? '') : '');
</script>

<Input
  {id}
  autocomplete="off"
  spellcheck="false"
  value={typed ?? text ?? known}
  {disabled}
  aria-invalid={invalid}
  aria-describedby={describedby}
  aria-label={label}
  oninput={({ currentTarget }) => (typed = currentTarget.value)}
  onblur={commit}
  onkeydown={(event) => {
    if (event.key === 'Enter' && !event.ctrlKey) commit();
  }}
/>
