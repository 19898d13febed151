<script lang="ts" generics="Comparison extends string">
  import type { Snippet } from 'svelte';
  import { Select } from '$lib/ui/parts';

  interface Props {
    /** How the two lists are called, for whoever does not see them. */
    called: { subject: string; comparison: string };
    /** What can be compared, each with its label; `subject` is empty while none is chosen. */
    subjects: readonly { value: string; label: string }[];
    subject: string;
    onsubject: (subject: string) => void;
    comparisons: readonly (readonly [Comparison, string])[];
    comparison: Comparison;
    oncomparison: (comparison: Comparison) => void;
    /** What stands before it. */
    before?: Snippet;
    /** With what it is compared, and what else is said of it. */
    children?: Snippet;
  }
  let {
    called,
    subjects,
    subject,
    onsubject,
    comparisons,
    comparison,
    oncomparison,
    before,
    children,
  }: Props = $props();

  const comparisonOf = (written: string) =>
    comparisons.find(([known]) => known === written)?.[0] ?? comparison;
</script>

<!--
@component
One condition as a sentence: what is compared, how, and with what. Rules, narrowings, conditions of lists and filters
of tables are all put together of it.
-->
<div class="flex flex-wrap items-center gap-2">
  {@render before?.()}
  <Select
    class="w-auto! max-w-72 min-w-28"
    aria-label={called.subject}
    value={subject}
    onchange={(event) => onsubject(event.currentTarget.value)}
  >
    {#if subject === ''}<option value="">choose a field…</option>{/if}
    {#each subjects as { value, label } (value)}<option {value}>{label}</option>{/each}
  </Select>
  {#if subject !== ''}
    <Select
      class="w-auto!"
      aria-label={called.comparison}
      value={comparison}
      onchange={(event) => oncomparison(comparisonOf(event.currentTarget.value))}
    >
      {#each comparisons as [value, label] (value)}<option {value}>{label}</option>{/each}
    </Select>
  {/if}
  {@render children?.()}
</div>
