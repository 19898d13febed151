<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { Button, Select } from '$lib/ui/parts';
  import { formulaOf, type Clause, type Operand, type Sentence } from '$lib/core/plan/sentences';
  import { comparisonsOf } from '$lib/core/plan/sentence-words';
  import { plainText, type ValueType } from '$lib/core/values/types';
  import { areAlike, type SaidName } from './said-names';
  import OperandInput from './OperandInput.svelte';
  import OneCondition from '$lib/ui/shared/OneCondition.svelte';

  interface Props {
    label: string;
    /** The sentence that the formula says; `null` where there is none yet. */
    sentence: Sentence | null;
    names: readonly SaidName[];
    onchange: (formula: string | null) => void;
  }
  let { label, sentence, names, onchange }: Props = $props();

  /** A clause while it is written: what it says of which field may still be missing. */
  type Draft = Omit<Clause, 'path'> & { path: readonly string[] | null };
  const blank: Draft = { path: null, compares: '=', to: null };

  /** What is being written, until it is a whole sentence. */
  let begun = $state.raw<Draft[] | null>(null);
  let joins = $state<'and' | 'or' | null>(null);
  const join = $derived(joins ?? sentence?.join ?? 'and');
  const clauses = $derived<readonly Draft[]>(begun ?? sentence?.clauses ?? [blank]);

  const typeOf = (path: readonly string[] | null): ValueType =>
    names.find((name) => name.path.join('.') === path?.join('.'))?.type ?? plainText;

  function isWhole(draft: Draft): draft is Clause {
    return (
      draft.path !== null && (['empty', 'filled'].includes(draft.compares) || draft.to !== null)
    );
  }

  function put(next: readonly Draft[], joined: 'and' | 'or' = join) {
    if (next.length === 0) {
      [begun, joins] = [null, null];
      return onchange(null);
    }
    if (!next.every(isWhole)) {
      begun = [...next];
      joins = joined;
      return;
    }
    [begun, joins] = [null, null];
    onchange(formulaOf({ join: joined, clauses: [...next] }));
  }

  function change(i: number, part: Partial<Draft>) {
    put(clauses.map((clause, k) => (k === i ? { ...clause, ...part, plain: undefined } : clause)));
  }

  function changeField(i: number, written: string) {
    const path = written.split('.');
    const type = typeOf(path);
    const now = clauses[i];
    const kept = now?.path && areAlike(typeOf(now.path), type) ? now : null;
    const compares = kept?.compares ?? comparisonsOf(type)[0]?.[0] ?? '=';
    const yes: Operand = { kind: 'yes_no', value: true };
    const to = kept?.to ?? (type.kind === 'yes_no' ? yes : null);
    change(i, { path, compares, to: ['empty', 'filled'].includes(compares) ? null : to });
  }
</script>

<div class="grid gap-1.5">
  {#each clauses as clause, i (i)}
    {@const type = typeOf(clause.path)}
    {@const many = clauses.length > 1 ? ` ${i + 1}` : ''}
    <OneCondition
      called={{ subject: `${label}: field${many}`, comparison: `${label}: comparison${many}` }}
      subjects={names.map((name) => ({ value: name.path.join('.'), label: name.label }))}
      subject={clause.path?.join('.') ?? ''}
      onsubject={(written) => changeField(i, written)}
      comparisons={comparisonsOf(type)}
      comparison={clause.compares}
      oncomparison={(compares) =>
        change(i, { compares, ...(['empty', 'filled'].includes(compares) ? { to: null } : {}) })}
    >
      {#snippet before()}
        {#if i > 0}
          <Select
            class="w-auto!"
            aria-label="{label}: and, or"
            value={join}
            onchange={(event) => put(clauses, event.currentTarget.value === 'or' ? 'or' : 'and')}
          >
            <option value="and">and</option>
            <option value="or">or</option>
          </Select>
        {/if}
      {/snippet}
      {#if clause.path && !['empty', 'filled'].includes(clause.compares)}
        <OperandInput
          label="{label}: value{many}"
          {type}
          operand={clause.to}
          names={names.filter(
            (name) => areAlike(name.type, type) && name.path.join('.') !== clause.path?.join('.'),
          )}
          onchange={(to) => change(i, { to })}
        />
      {/if}
      {#if clauses.length > 1}
        <Button
          kind="link"
          aria-label="{label}: remove condition{many}"
          onclick={() => put(clauses.filter((_, k) => k !== i))}>×</Button
        >
      {/if}
      {#if i === clauses.length - 1 && isWhole(clause)}
        <Button kind="link" onclick={() => put([...clauses, blank])}
          >{join === 'or' ? say('+ or') : say('+ and')}</Button
        >
      {/if}
    </OneCondition>
  {/each}
</div>
