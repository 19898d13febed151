<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { useWords } from '$lib/core/plan/uses';
  import type { UsingForm } from '$lib/core/contract/answers';

  interface Props {
    form: UsingForm;
    /** At most so many fields are named. */
    most?: number;
  }
  let { form, most = 8 }: Props = $props();

  const said = (questions: readonly string[]) => questions.map((q) => useWords[q] ?? q).join(', ');
</script>

{#each form.uses.slice(0, most) as { field, questions }, i (i)}{i > 0 ? '; ' : ''}{#if field}<b
      class="font-semibold">{field}</b
    >
    ({said(questions)}){:else}{said(questions)}{/if}{/each}{form.uses.length > most
  ? ` ${say(`and ${form.uses.length - most} more`)}`
  : ''}
{#if form.plans.length === 1}
  <span class="quiet"
    >{form.plans[0] === 'draft' ? say('in the draft only') : say('in its edition only')}</span
  >
{/if}
