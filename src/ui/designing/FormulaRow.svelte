<script lang="ts">
  import { reader } from '$lib/core/words/reader';
  import { canonicalOf } from '$lib/core/entry/working-out';
  import type { Formula } from '$lib/core/formula/formula';
  import { evaluate } from '$lib/core/formula/formula';
  import { shownFeel } from '$lib/core/formula/convert';
  import type { FormulaProblem } from '$lib/core/formula/syntax';
  import { compileIn, type EntryHost } from '$lib/core/plan/formulas';
  import { problem } from '$lib/core/problems';
  import { formatValue } from '$lib/core/values/format';
  import type { ValueType } from '$lib/core/values/types';
  import type { LiveScope } from '$lib/ui/filling/session.svelte';
  import { holdsPending } from '$lib/ui/shared/pending';
  import FormulaEditor from './FormulaEditor.svelte';

  interface Props {
    id: string;
    label: string;
    value: string;
    placeholder?: string;
    /** The live form: its names, and the values beside which the formula is shown. */
    live: LiveScope | null;
    /** What the result is to be, where it becomes a value. */
    type?: ValueType;
    /** What a result of this kind lacks, in a problem; `null` where it will do. */
    misfit?: (formula: Formula<EntryHost>) => FormulaProblem | null;
    /**
     * Takes the formula, `null` where it was emptied: as soon as it can be read, and when it is left, also with a
     * mistake. Wrong text is part of the draft; it is marked, and keeps the form from being published.
     */
    onchange: (formula: string | null) => void;
    /** Whether the cursor starts here. */
    starts?: boolean;
  }
  let {
    id,
    label,
    value,
    placeholder = '',
    live,
    type,
    misfit,
    onchange,
    starts,
  }: Props = $props();

  let typed = $state<string | null>(null);
  let timer: ReturnType<typeof setTimeout> | undefined;
  const text = $derived(typed ?? value);
  const names = $derived(live?.names ?? { find: () => null, all: () => [] });
  const compiled = $derived(text.trim() === '' ? null : compileIn(names, text));
  const found = $derived.by((): FormulaProblem | null => {
    if (!compiled) return null;
    return 'problem' in compiled ? compiled.problem : (misfit?.(compiled.formula) ?? null);
  });
  /** The result on what stands in the live form now. */
  const result = $derived.by(() => {
    const host = live?.host;
    if (!live || !host || !compiled || !('formula' in compiled)) return null;
    const evaluated = evaluate(compiled.formula, host, live.clock);
    if ('problem' in evaluated) return evaluated.problem.message;
    const made = type ? canonicalOf(type, evaluated.value, label) : null;
    const plain = made && 'value' in made && type?.kind !== 'reference';
    return type && plain ? formatValue(type, made.value, reader()) : shownFeel(evaluated.value);
  });

  function ontext(given: string) {
    typed = given;
    clearTimeout(timer);
    timer = setTimeout(() => found || apply(), 400);
  }

  function apply() {
    clearTimeout(timer);
    if (typed === null) return;
    const given = typed.trim();
    typed = null;
    if (given !== value.trim()) onchange(given === '' ? null : given);
  }
  holdsPending(apply);

  const empty = problem('formula_empty');
</script>

<div class="grid grid-cols-[110px_minmax(0,1fr)] items-start gap-x-3">
  <span class="pt-1.5 font-semibold" aria-hidden="true">{label}</span>
  <div>
    <FormulaEditor
      {id}
      {label}
      value={text}
      {placeholder}
      {names}
      {found}
      describedby="{id}-said"
      {ontext}
      onleave={apply}
      {starts}
    />
    <div id="{id}-said" class="quiet mt-0.5" role="status">
      {#if found}
        <span class="text-crimson">{found.problem.message}</span>
        {found.problem.hint}
      {:else if result !== null}
        now <b class="text-ink">{result}</b>
      {:else if text.trim() === ''}
        {empty.hint}
      {/if}
    </div>
  </div>
</div>
