<script lang="ts">
  import { plural, say } from '$lib/core/words/say';
  import { Button } from '$lib/ui/parts';
  import type { Finding } from '$lib/core/plan/finding';
  import type { Snippet } from 'svelte';
  import type { Plan } from '$lib/core/plan/schema';

  interface Props {
    findings: readonly Finding[];
    onshow: (field: string) => void;
    onfix: (apply: (plan: Plan) => Plan) => void;
    /** What is said beside it. */
    beside?: Snippet;
  }
  let { findings, onshow, onfix, beside }: Props = $props();

  let unfolded = $state(false);
  const problems = $derived(findings.filter((f) => f.level === 'problem').length);
  const hints = $derived(findings.length - problems);
  const listed = $derived(
    unfolded ? findings : findings.filter((f) => f.level === 'problem').slice(0, 1),
  );
</script>

<section class="border-line bg-paper shrink-0 border-t px-5 py-1.5" aria-label="Checkup">
  <div class="flex items-center gap-4">
    <b>Checkup</b>
    {#if problems > 0}<span class="text-crimson"
        >{plural(problems, ['# problem', '# problems'])}</span
      >{/if}
    {#if hints > 0}<span class="text-slate">{plural(hints, ['# hint', '# hints'])}</span>{/if}
    {#if findings.length === 0}<span style="color: var(--moss)">nothing to fix</span>{/if}
    {@render beside?.()}
    {#if findings.length > 0}
      <Button
        kind="link"
        class="ms-auto"
        aria-expanded={unfolded}
        onclick={() => (unfolded = !unfolded)}>{unfolded ? say('Fewer') : say('Show all')}</Button
      >
    {/if}
  </div>
  <ul class="max-h-40 overflow-auto">
    {#each listed as finding, i (i)}
      {@const { field, fix } = finding}
      <li class="flex flex-wrap items-baseline gap-x-4 py-0.5">
        <span class={finding.level === 'problem' ? 'text-crimson' : 'text-slate'}>
          {finding.level === 'problem' ? say('problem') : say('hint')}
        </span>
        <span>{finding.problem.message} <span class="text-soft">{finding.problem.hint}</span></span>
        {#if field}
          <Button kind="link" onclick={() => onshow(field)}>Show</Button>
        {/if}
        {#if fix}
          <Button kind="link" onclick={() => onfix(fix.apply)}>{fix.label}</Button>
        {/if}
      </li>
    {/each}
  </ul>
</section>
