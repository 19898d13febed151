<script lang="ts">
  import { say } from '$lib/core/words/say';
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
  import { loadPatterns } from '$lib/core/formula/functions/patterns';
  import type { LiveScope } from './live-scope';
  import { startsHere } from '$lib/ui/shared/focus';
  import { holdsPending } from '$lib/ui/shared/pending';
  import { operandFormula, operandOf, sentenceOf } from '$lib/core/plan/sentences';
  import { areAlike } from './said-names';
  import { Button } from '$lib/ui/parts';
  import OperandInput from './OperandInput.svelte';
  import Sentences from './Sentences.svelte';

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
    /** What it can be put together as, without writing a formula: a condition, or one value. */
    says?: 'condition' | 'value';
    /** What a condition that holds means, and one that does not. */
    outcome?: { yes: string; no: string; wrong?: boolean };
    onremove?: () => void;
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
    says,
    outcome,
    onremove,
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
  /** What it gives on what stands in the live form now. */
  const evaluated = $derived.by(() => {
    const host = live?.host;
    if (!live || !host || !compiled || !('formula' in compiled)) return null;
    return evaluate(compiled.formula, host, live.clock);
  });
  /** The same as people read it. */
  const result = $derived.by(() => {
    if (!evaluated) return null;
    if ('problem' in evaluated) return evaluated.problem.message;
    const made = type ? canonicalOf(type, evaluated.value, label) : null;
    const plain = made && 'value' in made && type?.kind !== 'reference';
    return type && plain ? formatValue(type, made.value, reader()) : shownFeel(evaluated.value);
  });

  /** What the condition gives now; `null` where it gives neither. */
  const holds = $derived(
    evaluated && 'value' in evaluated && typeof evaluated.value === 'boolean'
      ? evaluated.value
      : null,
  );

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

  /** Whether the formula itself was asked for. */
  let asFormula = $state(false);
  const said = $derived(live?.said ?? []);
  const sentence = $derived(says === 'condition' ? sentenceOf(value) : null);
  const operand = $derived(says === 'value' ? operandOf(value) : null);
  /** Whether it can be put together: there is nothing yet, or a sentence says the same. */
  const fits = $derived(
    says !== undefined && said.length > 0 && (value.trim() === '' || Boolean(sentence ?? operand)),
  );
  const together = $derived(fits && !asFormula && !found);

  function takeFormula(formula: string | null) {
    typed = null;
    onchange(formula);
  }
</script>

<div class="grid grid-cols-[110px_minmax(0,1fr)] items-start gap-x-3">
  <span class="pt-1.5 font-semibold" aria-hidden="true">{label}</span>
  <div>
    {#if together && says === 'condition'}
      <div {@attach starts ? startsHere : null}>
        <Sentences {label} {sentence} names={said} onchange={takeFormula} />
      </div>
    {:else if together && type}
      <OperandInput
        {label}
        {type}
        {operand}
        names={said.filter((name) => areAlike(name.type, type))}
        onchange={(chosen) => takeFormula(operandFormula(chosen))}
      />
    {:else}
      {#await Promise.all([import('./FormulaEditor.svelte'), loadPatterns()])}
        <div class="border-line h-8 rounded border"></div>
      {:then [{ default: FormulaEditor }]}
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
          starts={starts || asFormula}
        />
      {/await}
    {/if}
    <div id="{id}-said" class="quiet mt-0.5 flex flex-wrap gap-x-4" role="status">
      {#if found}
        <span>
          <span class="text-crimson">{found.problem.message}</span>
          {found.problem.hint}
        </span>
      {:else if result !== null}
        <span>
          now
          {#if outcome && (holds === true || holds === false)}
            <b class={!outcome.wrong ? 'text-ink' : holds ? 'text-moss' : 'text-crimson'}
              >{holds ? outcome.yes : outcome.no}</b
            >
          {:else}<b class="text-ink">{result}</b>{/if}
        </span>
      {:else if text.trim() === '' && !together}
        <span>{empty.hint}</span>
      {/if}
      {#if fits}
        <Button kind="link" class="ms-auto" onclick={() => (asFormula = !asFormula)}
          >{asFormula ? say('as a sentence') : say('as a formula')}</Button
        >
      {/if}
      {#if onremove}
        <Button
          kind="link"
          class={fits ? '' : 'ms-auto'}
          aria-label="Remove {label}"
          onclick={onremove}>×</Button
        >
      {/if}
    </div>
  </div>
</div>
