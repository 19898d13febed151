<script lang="ts">
  import { onDestroy, untrack } from 'svelte';
  import type { PersonFacts } from '$lib/core/entry/person';
  import type { KeptSets } from '$lib/core/plan/asked-sheet';
  import type { Plan } from '$lib/core/plan/schema';
  import type { House } from '$lib/core/table/definition';
  import type { Value } from '$lib/core/values/types';
  import { Button } from '$lib/ui/parts';
  import { Filling } from '$lib/ui/filling/filling.svelte';
  import FormBody from '$lib/ui/filling/FormBody.svelte';

  interface Props {
    formKey: string;
    sheet: { plan: Plan; edition: number; sets: KeptSets; tables: House; person: PersonFacts };
    /** What the sheet begins with, by field. */
    begins: Readonly<Record<string, Value>>;
    /** Another one whenever rows have changed. */
    version: unknown;
  }
  let { formKey, sheet, begins, version }: Props = $props();

  let filling = $state.raw(untrack(begin));

  function begin(): Filling {
    const made = new Filling({
      ...{ formKey, ...sheet, opened: null, carried: begins, link: {}, keeps: false },
    });
    void made.start(null);
    return made;
  }
  function startOver() {
    filling.close();
    filling = begin();
  }

  $effect(() => {
    void filling.session.edits;
    untrack(() => void filling.follow());
  });
  // Rows that have changed are asked as they are now, with the answers that still fit.
  $effect(() => {
    void version;
    untrack(() => void askAnew());
  });
  async function askAnew() {
    const { asking, session, given } = filling;
    await asking.look(session.entry, { edition: given.edition });
    if (asking.newer) filling.takeQuestions(asking.newer);
  }
  onDestroy(() => filling.close());
</script>

<section class="px-4.5 pb-5" aria-label="The sheet as it would be">
  <div class="flex items-center justify-between pt-3 pb-1">
    <span class="tag">The sheet as it would be · nothing is written</span>
    <Button kind="link" onclick={startOver}>Start over</Button>
  </div>
  {#key filling.session}
    <FormBody session={filling.session} prefix="sheet" mostColumns={2} />
  {/key}
</section>
