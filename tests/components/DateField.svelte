<script lang="ts">
  import { parseText } from '$lib/core/values/parse';
  import type { Value, ValueType } from '$lib/core/values/types';
  import { reading } from '$lib/ui/shared/locale';
  import ValueInput from '$lib/ui/shared/ValueInput.svelte';

  interface Props {
    type: ValueType;
    value?: Value;
    onvalue: (value: Value) => void;
  }
  /** A field of the form with what is typed into it read as the screen reads it. */
  let { type, value = null, onvalue }: Props = $props();
  // svelte-ignore state_referenced_locally
  let current = $state<Value>(value);
  let rejected = $state<string | null>(null);

  function take(text: string) {
    const parsed = parseText(type, text, 'Due', reading());
    rejected = 'problem' in parsed ? text : null;
    if ('problem' in parsed) return;
    current = parsed.value;
    onvalue(parsed.value);
  }
</script>

<ValueInput
  id="due"
  label="Due"
  {type}
  value={current}
  {rejected}
  invalid={rejected !== null}
  onvalue={(given) => {
    current = given;
    onvalue(given);
  }}
  ontext={take}
/>
