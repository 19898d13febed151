<script lang="ts">
  import { sentenceOf } from '$lib/core/plan/sentences';
  import Sentences from '$lib/ui/designing/Sentences.svelte';
  import type { SaidName } from '$lib/ui/designing/said-names';

  interface Props {
    formula?: string | null;
    names: readonly SaidName[];
    onchange: (formula: string | null) => void;
  }
  /** The sentence of a formula, kept as the sheet keeps it. */
  let { formula = null, names, onchange }: Props = $props();
  // svelte-ignore state_referenced_locally
  let kept = $state(formula);
</script>

<Sentences
  label="Shown when"
  sentence={kept === null ? null : sentenceOf(kept)}
  {names}
  onchange={(next) => {
    kept = next;
    onchange(next);
  }}
/>
